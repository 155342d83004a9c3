//! Arrays and inline tables as members that tile the space between their brackets.
//!
//! A member's unit is its leading blanks and comments, its value, its comma and a comment on the same line.
//! Only the last may lack a comma. In `[a, b]` the blank before `b` separates: whoever comes first stands
//! where the first one stood, so that taking out and putting back in any order gives the same bytes.

use std::collections::BTreeMap;
use std::ops::Range;

/// A member's bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Unit {
    /// Blanks and comments before the value.
    pub lead: String,
    /// The value (with its key in an inline table).
    pub value: String,
    /// Between value and comma, the comma, and a comment after it on the same line.
    pub tail: String,
}

impl Unit {
    fn has_comma(&self) -> bool {
        comma(&self.tail).is_some()
    }

    fn bytes(&self) -> String {
        format!("{}{}{}", self.lead, self.value, self.tail)
    }
}

/// The members of an array or inline table.
#[derive(Debug, Clone)]
pub(super) struct Sequence {
    /// The bytes between the brackets.
    pub inner: Range<usize>,
    pub units: Vec<Unit>,
    /// What follows the last member.
    pub rest: String,
    /// Whether the last member has a comma.
    pub trailing: bool,
    /// Whether a comment stands behind the opening bracket: it belongs to no member.
    comment_first: bool,
}

/// What has to be known to put a member back, beside its own bytes.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(super) struct Place {
    /// The blanks the first member of the array had.
    pub first_lead: String,
    /// Whether the array ended in a comma.
    pub trailing: bool,
    /// What followed its last member.
    pub rest: String,
    /// Whether it was the only member.
    pub alone: bool,
}

/// Members whose blanks had to change when another left (who came to stand first, or behind a comment), with the
/// blanks they have by themselves.
pub(super) type Promoted = BTreeMap<String, String>;

impl Sequence {
    /// Takes the text of a container apart; `values` are its members' bytes.
    pub fn of(text: &str, container: &Range<usize>, values: &[Range<usize>]) -> Sequence {
        let opening = tail_end(&text[container.start + 1..container.end - 1], false);
        let inner = container.start + 1 + opening..container.end - 1;
        let mut units = Vec::new();
        let mut at = inner.start;
        for value in values {
            let limit = inner.end;
            let end = tail_end(&text[value.end..limit], true) + value.end;
            units.push(Unit {
                lead: text[at..value.start].to_owned(),
                value: text[value.clone()].to_owned(),
                tail: text[value.end..end].to_owned(),
            });
            at = end;
        }
        let trailing = units.last().is_some_and(Unit::has_comma);
        Sequence { rest: text[at..inner.end].to_owned(), inner, units, trailing, comment_first: opening > 0 }
    }

    /// The text between the brackets.
    pub fn render(&self) -> String {
        self.units.iter().map(Unit::bytes).chain([self.rest.clone()]).collect()
    }

    /// Takes a member out. The next one may come to stand first, and takes the first one's blanks: what it had
    /// is noted in `promoted`.
    pub fn remove(&mut self, index: usize, promoted: &mut Promoted) -> Option<(Unit, Place)> {
        if index >= self.units.len() {
            return None;
        }
        let place = Place {
            first_lead: self.units.first().map(|u| u.lead.clone()).unwrap_or_default(),
            trailing: self.trailing,
            rest: self.rest.clone(),
            alone: self.units.len() == 1,
        };
        let mut unit = self.units.remove(index);
        if let (0, Some(next)) = (index, self.units.first_mut()) {
            let own = promoted.get(&next.value).unwrap_or(&next.lead).clone();
            if is_blank(&unit.lead) && is_blank(&own) {
                next.lead.clone_from(&unit.lead);
                promoted.insert(next.value.clone(), own);
            }
        }
        if let Some(own) = promoted.get(&unit.value) {
            unit.lead.clone_from(own);
        }
        self.settle(promoted);
        Some((unit, place))
    }

    /// Puts a member back.
    pub fn put_back(&mut self, index: usize, mut unit: Unit, place: &Place, promoted: &mut Promoted) {
        // One that stood alone knows nothing of a comma behind others.
        if self.units.is_empty() || !place.alone {
            self.trailing = place.trailing;
        }
        let index = index.min(self.units.len());
        if index == 0 && is_blank(&unit.lead) {
            let displaced = self.units.first_mut();
            let first_lead = match displaced {
                Some(first) => {
                    let known = promoted.get(&first.value).cloned();
                    // One that never stood behind another takes the blanks of the one that did.
                    let own = known.or_else(|| Some(unit.lead.clone()).filter(|lead| !lead.is_empty()));
                    own.filter(|_| is_blank(&first.lead)).map(|own| std::mem::replace(&mut first.lead, own))
                }
                None => Some(place.first_lead.clone()).filter(|l| is_blank(l)),
            };
            if let Some(lead) = first_lead.filter(|lead| *lead != unit.lead) {
                promoted.insert(unit.value.clone(), std::mem::replace(&mut unit.lead, lead));
            }
        }
        self.units.insert(index, unit);
        if self.rest.trim_matches('\r') == "\n" {
            self.rest.clone_from(&place.rest);
        }
        self.settle(promoted);
    }

    /// Nothing may stand on the line of a comment behind it: what would gets a line of its own, as long as it must.
    fn settle(&mut self, promoted: &mut Promoted) {
        self.fix_commas();
        let line_break = if self.render().contains("\r\n") { "\r\n" } else { "\n" };
        let mut behind_comment = self.comment_first;
        for (at, unit) in self.units.iter_mut().enumerate() {
            let own = promoted.get(&unit.value).cloned();
            let lead = own.as_ref().unwrap_or(&unit.lead).clone();
            if behind_comment && !lead.contains('\n') {
                unit.lead = format!("{line_break}{lead}");
                promoted.insert(unit.value.clone(), lead);
            } else if let (true, Some(own)) = (at > 0, own) {
                unit.lead = own;
            }
            behind_comment = ends_in_comment(&unit.tail);
        }
        if behind_comment && !self.rest.contains('\n') {
            self.rest.insert_str(0, line_break);
        }
    }

    /// Adds a new member, laid out as its neighbours are.
    pub fn insert(&mut self, index: usize, value: String, promoted: &mut Promoted) {
        let index = index.min(self.units.len());
        let neighbour = self.units.get(index.saturating_sub(1)).or(self.units.last());
        let own_line = neighbour.filter(|n| n.lead.contains('\n')).map(|n| {
            let indent = n.lead.rsplit('\n').next().unwrap_or_default();
            let line_break = if n.lead.contains("\r\n") { "\r\n" } else { "\n" };
            format!("{line_break}{indent}")
        });
        let inner = self.units.get(1).map(|u| u.lead.clone()).filter(|l| is_blank(l) && !l.is_empty()).unwrap_or_else(|| " ".to_owned());
        let lead = match own_line {
            Some(own_line) => own_line,
            // A first member stands where the first one stood, and that one behind it.
            None if index == 0 => match self.units.first_mut() {
                Some(first) => std::mem::replace(&mut first.lead, promoted.get(&first.value).cloned().unwrap_or(inner)),
                None => String::new(),
            },
            None => inner,
        };
        self.units.insert(index, Unit { lead, value, tail: String::new() });
        self.settle(promoted);
    }

    /// Every member but the last has a comma; the last one as the array had it.
    fn fix_commas(&mut self) {
        let last = self.units.len().saturating_sub(1);
        let trailing = self.trailing;
        for (at, unit) in self.units.iter_mut().enumerate() {
            let wanted = at < last || trailing;
            match comma(&unit.tail) {
                None if wanted => unit.tail.insert(0, ','),
                // One that doesn't follow its value directly would come back elsewhere: it stays, which is allowed.
                Some(0) if !wanted => {
                    unit.tail.remove(0);
                }
                _ => {}
            }
        }
    }
}

fn is_blank(lead: &str) -> bool {
    lead.chars().all(|c| c == ' ' || c == '\t')
}

fn ends_in_comment(tail: &str) -> bool {
    tail.rsplit('\n').next().is_some_and(|line| line.contains('#'))
}

/// Where a tail's comma is; comments before it are passed over.
fn comma(tail: &str) -> Option<usize> {
    let mut at = 0;
    while let Some(c) = tail[at..].chars().next() {
        match c {
            ',' => return Some(at),
            '#' => at += tail[at..].find('\n').unwrap_or(tail.len() - at),
            c => at += c.len_utf8(),
        }
    }
    None
}

/// The end of a member's tail: over its comma, then over blanks and a comment on the same line.
fn tail_end(rest: &str, with_comma: bool) -> usize {
    let after_comma = comma(rest).filter(|_| with_comma).map_or(0, |at| at + 1);
    let line = rest[after_comma..].split('\n').next().unwrap_or_default();
    if line.trim_start().starts_with('#') { after_comma + line.trim_end_matches('\r').len() } else { after_comma }
}

#[cfg(test)]
mod tests {
    use super::super::parse;
    use super::*;

    fn sequence(text: &str) -> Sequence {
        let parsed = parse(text).unwrap();
        let array = parsed.syntax.at(&["v".into()]).unwrap();
        let parse::Form::Array(items) = &array.kind else { panic!("no array") };
        Sequence::of(text, &array.span, &items.iter().map(|i| i.span.clone()).collect::<Vec<_>>())
    }

    /// The text with the sequence as it is now.
    fn whole_text(text: &str, now: &Sequence) -> String {
        let mut text = text.to_owned();
        let inner = sequence(&text).inner;
        text.replace_range(inner, &now.render());
        text
    }

    #[test]
    fn what_leaves_in_any_order_comes_back_in_any_order_to_the_byte() {
        let arrays = [
            "v = [\"a\", \"b\", \"c\"]",
            "v = [ \"a\",\"b\",  \"c\" ]",
            "v = [\n  \"a\",\n  \"b\", # two\n  # three\n  \"c\"\n]",
            "v = [\n  \"a\",\n  \"b\",\n  \"c\", # last\n  # end\n]",
            "v = [\"a\",\n     \"b\",\n     \"c\"]",
            "v = [\"a\" # x\n , \"b\", \"c\"]",
            "v = [ # s\n  \"a\", # x\n  \"b\", \"c\"]",
            "v = [\"a\", # x\n\"b\", \"c\"]",
            "v = [\r\n\t\"a\",\r\n\t\"b\",\r\n\t\"c\"\r\n]",
        ];
        let orders = [[0, 1, 2], [0, 2, 1], [1, 0, 2], [1, 2, 0], [2, 0, 1], [2, 1, 0]];
        for text in arrays {
            let whole = sequence(text);
            assert_eq!(whole_text(text, &whole), text);
            for count in 1..=3 {
                for out in &orders {
                    for back in &orders {
                        let mut now = whole.clone();
                        let mut there = vec![0, 1, 2];
                        let mut ghosts = Vec::new();
                        let mut promoted = Promoted::new();
                        for member in &out[..count] {
                            let at = there.iter().position(|m| m == member).unwrap();
                            there.remove(at);
                            ghosts.push((*member, now.remove(at, &mut promoted).unwrap()));
                        }
                        for member in back {
                            if let Some(at) = ghosts.iter().position(|(m, _)| m == member) {
                                let (member, (unit, place)) = ghosts.remove(at);
                                let index = there.iter().filter(|m| **m < member).count();
                                there.insert(index, member);
                                now.put_back(index, unit, &place, &mut promoted);
                                // Between merges the text is read anew.
                                now = sequence(&whole_text(text, &now));
                            }
                        }
                        assert_eq!(whole_text(text, &now), text, "out {:?}, back {back:?}", &out[..count]);
                    }
                }
            }
        }
    }

    #[test]
    fn what_is_added_and_taken_out_leaves_no_trace() {
        for text in [
            "v = []",
            "v = [\"a\"]",
            "v = [ \"a\" ]",
            "v = [\"a\", \"b\"]",
            "v = [\n  \"a\", # x\n  \"b\"\n]",
            "v = [\n  \"a\",\n]",
            "v = [ # all\n  \"a\", \"b\"\n]",
        ] {
            for index in 0..=2 {
                let mut now = sequence(text);
                let index = index.min(now.units.len());
                now.insert(index, "\"new\"".into(), &mut Promoted::new());
                let with = whole_text(text, &now);
                let mut now = sequence(&with);
                now.remove(index, &mut Promoted::new());
                assert_eq!(whole_text(&with, &now), text, "{with}");
            }
        }
    }
}
