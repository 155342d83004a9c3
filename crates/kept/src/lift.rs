//! From an edited file back to the tiles.
//!
//! What was shown is compared with what stands in the file now. The longest common subsequence of both stays what it was;
//! what was hidden goes behind the nearest tile of that subsequence that stood before it, before anything new there, else
//! to the start. Of the stored blanks only those are written anew that would otherwise be shown differently: so that what
//! comes back later stands as it stood.

use crate::align::common;
use crate::known_by;
use crate::otherwise;
use crate::read::{Unreadable, read_as, split_gap};
use crate::show::closing;
use crate::tiles::{Container, Id, Line, Mark, Member, Tiles, Value, What};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// What an edit did beyond the words of the file.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Lifted {
    /// Hidden tiles that a new one with their key became: it has their place and their hidden members, and its own value.
    pub adopted: Vec<Id>,
    /// Hidden tiles that went with the container they stood in, or that the file says in another way now.
    pub deleted: Vec<Id>,
}

impl Tiles {
    /// Takes an edited file over: it is what is shown from now on, to the byte.
    ///
    /// # Errors
    /// Where it isn't TOML; nothing has changed then.
    pub fn lift(&mut self, text: &str) -> Result<Lifted, Unreadable> {
        self.lift_keeping(text, &|_| false)
    }

    /// Likewise; a deleted line whose path `keeps` what is hidden in it isn't deleted: its shown members are, and it is shown
    /// again with the first of the others.
    ///
    /// # Errors
    /// Where it isn't TOML; nothing has changed then.
    pub fn lift_keeping(&mut self, text: &str, keeps: &dyn Fn(&[String]) -> bool) -> Result<Lifted, Unreadable> {
        let file = read_as(text, self.line_end)?;
        self.hide_deleted(&file.lines, keeps);
        let mut lifted = Lifted::default();
        self.byte_mark = file.byte_mark;
        self.untouch();
        if !text.trim_start_matches('\u{feff}').is_empty() {
            self.no_last_end = file.no_last_end;
        }
        self.line_end = file.line_end;
        self.lift_lines(file, &mut lifted);
        Ok(lifted)
    }

    fn hide_deleted(&mut self, file: &[Line], keeps: &dyn Fn(&[String]) -> bool) {
        let is_there = |line: &Line| file.iter().any(|l| l.path.starts_with(&line.path));
        let has_container = |line: &Line| {
            let around = line.path.get(..line.path.len().saturating_sub(1)).unwrap_or_default();
            file.iter().any(|l| l.path.starts_with(around))
        };
        for line in self.lines.iter_mut().filter(|l| l.what == What::Key && l.is_shown() && keeps(&l.path)) {
            if is_there(line) || !has_container(line) || line.value.hidden_members().is_empty() {
                continue;
            }
            if let Value::Members(container) = &mut line.value {
                container.members.retain(|m| m.hidden);
            }
            line.hidden.insert(line.id);
        }
    }

    /// Section by section, each a header with the keys under it: what is hidden stays in its section.
    fn lift_lines(&mut self, mut file: Tiles, lifted: &mut Lifted) {
        let own = std::mem::take(&mut self.lines);
        let (own_names, file_names) = known_by::lines(&own, &file.lines);
        let (own_sections, file_sections) = (sections(&own), sections(&file.lines));
        // The first section, which has no header, is always there.
        let header = |names: &[String], (at, section): (usize, &Range<usize>)| match at {
            0 => String::new(),
            _ => names.get(section.start).cloned().unwrap_or_default(),
        };
        let own_headers: Vec<String> = own_sections.iter().enumerate().map(|s| header(&own_names, s)).collect();
        let file_headers: Vec<String> = file_sections.iter().enumerate().map(|s| header(&file_names, s)).collect();
        let shown_header = |(at, section): (usize, &Range<usize>)| at == 0 || own.get(section.start).is_some_and(Line::is_shown);
        let is_shown: Vec<bool> = own_sections.iter().enumerate().map(shown_header).collect();
        let pairs = Pairs::of(&own_headers, &is_shown, &file_headers);
        let gone = gone_containers(&own, &file.lines);
        let mut old: Vec<Option<Line>> = own.into_iter().map(Some).collect();
        let mut keep = Keep { numbers: BTreeMap::new(), lines: Vec::new() };
        for hidden in pairs.behind(None) {
            let section = own_sections.get(*hidden).cloned().unwrap_or_default();
            keep.hidden(section.filter_map(|at| old.get_mut(at)?.take()), &gone, lifted);
        }
        // Lines that are elsewhere now keep their hidden members.
        let mut apart: BTreeMap<&String, Vec<usize>> = BTreeMap::new();
        own_names.iter().enumerate().rev().for_each(|(at, name)| apart.entry(name).or_default().push(at));
        let mut file_lines: Vec<Option<Line>> = std::mem::take(&mut file.lines).into_iter().map(Some).collect();
        for (at, section) in file_sections.iter().enumerate() {
            let before = pairs.was(at).and_then(|own| own_sections.get(own).cloned()).unwrap_or_default();
            // A header that is written anew becomes the hidden one: what is hidden in that section stays behind it.
            let is_header = |place: usize| at > 0 && place == before.start;
            let is_shown = |place: usize| old.get(place).is_some_and(|line| line.as_ref().is_some_and(Line::is_shown));
            let shown: Vec<bool> = before.clone().map(|place| is_header(place) || is_shown(place)).collect();
            let own_part = own_names.get(before.clone()).unwrap_or_default();
            let inner = Pairs::of(own_part, &shown, file_names.get(section.clone()).unwrap_or_default());
            for hidden in inner.behind(None) {
                keep.hidden(old.get_mut(before.start + hidden).and_then(Option::take).into_iter(), &gone, lifted);
            }
            for (place, line) in section.clone().enumerate() {
                let Some(line) = file_lines.get_mut(line).and_then(Option::take) else { continue };
                let mut known = inner.was(place).and_then(|own| old.get_mut(before.start + own)?.take());
                if known.is_none()
                    && let Some(places) = file_names.get(section.start + place).and_then(|name| apart.get(name))
                {
                    known = places.iter().find_map(|at| old.get_mut(*at)?.take());
                }
                self.lift_line(line, known, &mut keep, lifted);
                for hidden in inner.behind(Some(place)) {
                    keep.hidden(old.get_mut(before.start + hidden).and_then(Option::take).into_iter(), &gone, lifted);
                }
            }
            for hidden in pairs.behind(Some(at)) {
                let section = own_sections.get(*hidden).cloned().unwrap_or_default();
                keep.hidden(section.filter_map(|at| old.get_mut(at)?.take()), &gone, lifted);
            }
        }
        // What is left was deleted, and what was hidden in it went with it.
        for line in old.into_iter().flatten() {
            lifted.deleted.extend((!line.is_shown()).then_some(line.id));
            lifted.deleted.extend(line.value.hidden_members());
        }
        lifted.deleted.extend(otherwise::taken_out(&mut keep.lines));
        self.lines = keep.lines;
        self.settle_gaps(&file.end);
    }

    fn lift_line(&mut self, mut line: Line, known: Option<Line>, keep: &mut Keep, lifted: &mut Lifted) {
        let number = match &known {
            Some(known) => known.id,
            None => self.fresh(),
        };
        keep.numbers.insert(line.id, number);
        line.id = number;
        line.blocks.iter_mut().for_each(|b| *b = keep.numbers.get(b).copied().unwrap_or(*b));
        let line_end = self.line_end;
        // Its gap is compared later, when what is hidden before it is known: what is stored and what is written stand side
        // by side until then.
        match known {
            Some(known) => {
                if !known.is_shown() {
                    lifted.adopted.push(known.id);
                }
                let edited = known.value.whole() != line.value.whole() && !is_container(&known.value, &line.value);
                line.mark = if known.is_shown() { known.mark } else { Mark::default() };
                let is_laid = |value: &Value| matches!(value, Value::Members(_));
                line.mark.laid |= is_laid(&line.value) && !known_by::is_in_order(&known.value, &line.value);
                line.mark.touch(edited);
                line.value = self.lift_value(known.value, line.value, line_end, lifted);
                let own = format!("{}\u{0}{}{}", known.own, line.free, line.own);
                keep.lines.push(Line { free: known.free, own, ..line });
            }
            None => {
                self.number_anew(&mut line.value);
                line.mark.touch(true);
                line.value.each_mut(&mut |member| member.mark.touch(true));
                let own = format!("\u{0}{}{}", line.free, line.own);
                keep.lines.push(Line { own, free: String::new(), ..line });
            }
        }
    }

    /// What stands between two shown lines is compared as a whole: free parts of hidden lines stay theirs as long as the file
    /// has them there.
    fn settle_gaps(&mut self, end: &str) {
        let mut hidden: Vec<usize> = Vec::new();
        let stored_end = std::mem::take(&mut self.end);
        for at in 0..=self.lines.len() {
            let (stored, written) = match self.lines.get(at) {
                Some(line) => match line.own.split_once('\u{0}') {
                    Some((own, written)) => (format!("{}{own}", line.free), written.to_owned()),
                    None => {
                        hidden.push(at);
                        continue;
                    }
                },
                None => (stored_end.clone(), end.to_owned()),
            };
            let frees: String = hidden.iter().filter_map(|h| self.lines.get(*h)).map(|l| l.free.as_str()).collect();
            let unchanged = format!("{frees}{stored}") == written;
            let mut rest = written.as_str();
            if !unchanged {
                for h in &hidden {
                    if let Some(line) = self.lines.get_mut(*h) {
                        match rest.strip_prefix(line.free.as_str()) {
                            Some(after) => rest = after,
                            None => line.free.clear(),
                        }
                    }
                }
            }
            match self.lines.get_mut(at) {
                Some(line) if unchanged => line.own = line.own.split_once('\u{0}').map(|(own, _)| own.to_owned()).unwrap_or_default(),
                Some(line) => {
                    let (free, own) = split_gap(rest);
                    (line.free, line.own) = (free.to_owned(), own.to_owned());
                }
                None => self.end = if unchanged { stored_end.clone() } else { rest.to_owned() },
            }
            hidden.clear();
        }
    }

    /// Forgets which tiles the edit before wrote.
    pub(crate) fn untouch(&mut self) {
        for line in &mut self.lines {
            line.mark.touched = false;
            line.value.each_mut(&mut |member| member.mark.touched = false);
        }
    }

    pub(crate) fn number_anew(&mut self, value: &mut Value) {
        if let Value::Members(container) = value {
            for member in &mut container.members {
                member.id = self.fresh();
                self.number_anew(&mut member.value);
            }
        }
    }

    fn lift_value(&mut self, known: Value, mut file: Value, line_end: &str, lifted: &mut Lifted) -> Value {
        match (known, file) {
            (Value::Members(known), Value::Members(file)) if known.bracket == file.bracket => {
                Value::Members(self.lift_container(known, file, line_end, lifted))
            }
            (known, other) => {
                lifted.deleted.extend(known.hidden_members());
                file = other;
                self.number_anew(&mut file);
                file
            }
        }
    }

    fn lift_container(&mut self, known: Container, file: Container, line_end: &str, lifted: &mut Lifted) -> Container {
        let text = {
            let mut out = String::new();
            file.show(line_end, &mut out);
            out
        };
        let (own_keys, file_keys) = known_by::members(&known.members, &file.members);
        let is_shown: Vec<bool> = known.members.iter().map(|m| !m.hidden).collect();
        let pairs = Pairs::of(&own_keys, &is_shown, &file_keys);
        let count = file.members.len();
        // Another first member has the blanks that whichever is first has; the one that was has those of the others.
        let usual = file.members.iter().find_map(|m| m.sep.clone()).or_else(|| known.members.iter().find_map(|m| m.sep.clone()));
        let usual = usual.or_else(|| Some(if file.first.contains('\n') { file.first.clone() } else { " ".to_owned() }));
        let mut result = Container {
            bracket: known.bracket,
            open: file.open.clone(),
            first: if count == 0 { known.first.clone() } else { file.first.clone() },
            trailing: if count == 0 { known.trailing } else { file.trailing },
            rest: file.rest.clone(),
            members: Vec::new(),
        };
        // Stored blanks stay where they show the same: a line break that a comment forces isn't stored.
        let forced = |stored: &str, written: &str, by_comment: bool| {
            by_comment && !stored.contains('\n') && written.strip_prefix(line_end) == Some(stored)
        };
        let mut comment_before = file.open.contains('#');
        let as_stored = known.clone();
        let mut old: Vec<Option<Member>> = known.members.into_iter().map(Some).collect();
        let mut take = |at: usize| old.get_mut(at).and_then(Option::take);
        result.members.extend(pairs.behind(None).iter().filter_map(|at| take(*at)));
        for (at, mut member) in file.members.into_iter().enumerate() {
            let is_last = at + 1 == count;
            let by_comment = comment_before || member.note.starts_with('#');
            if at == 0 && forced(&as_stored.first, &result.first, by_comment) {
                result.first.clone_from(&as_stored.first);
            }
            match pairs.was(at).and_then(&mut take) {
                Some(known) => {
                    if known.hidden {
                        lifted.adopted.push(known.id);
                    }
                    member.id = known.id;
                    let edited = known.value.whole() != member.value.whole() && !is_container(&known.value, &member.value);
                    member.mark = if known.hidden { Mark::default() } else { known.mark };
                    member.mark.laid |= matches!(member.value, Value::Members(_)) && !known_by::is_in_order(&known.value, &member.value);
                    member.mark.touch(edited || known.hidden);
                    member.value = self.lift_value(known.value, member.value, line_end, lifted);
                    member.sep = match (&known.sep, member.sep) {
                        (Some(stored), Some(written)) if forced(stored, &written, by_comment) => known.sep,
                        (_, Some(written)) => Some(written),
                        // The first one's own blanks aren't shown.
                        (_, None) => known.sep,
                    };
                    // Without a comma, what stands before and after it can't be told apart.
                    let bare = is_last && !file.trailing;
                    if bare && format!("{}{}", known.pre, known.post) == format!("{}{}", member.pre, member.post) {
                        (member.pre, member.post) = (known.pre, known.post);
                    }
                }
                None => {
                    member.id = self.fresh();
                    self.number_anew(&mut member.value);
                    member.mark.touch(true);
                    member.value.each_mut(&mut |inner| inner.mark.touch(true));
                    if member.sep.is_none() {
                        member.sep.clone_from(&usual);
                    }
                }
            }
            comment_before = member.post.contains('#');
            result.members.push(member);
            result.members.extend(pairs.behind(Some(at)).iter().filter_map(|at| take(*at)));
        }
        if forced(&as_stored.rest, &result.rest, comment_before) {
            result.rest.clone_from(&as_stored.rest);
        }
        for member in old.into_iter().flatten() {
            // What was shown and isn't in the file was deleted, and what was hidden in it went with it.
            lifted.deleted.extend(member.value.hidden_members());
        }
        // Where blanks and comments can be read in more than one way, they are read as they are stored.
        let unchanged = result.with_the_pieces_of(&as_stored);
        if unchanged.shows(&text, line_end) {
            return unchanged;
        }
        let mut now = String::new();
        result.show(line_end, &mut now);
        debug_assert_eq!(now, text, "what is shown is what was written");
        debug_assert!(now.ends_with(closing(result.bracket)));
        result
    }
}

impl Mark {
    /// Notes what an edit did: a value that a person wrote is a person's, and what stood behind it is superseded.
    fn touch(&mut self, edited: bool) {
        self.touched = edited;
        if edited {
            self.own = true;
            self.behind = None;
            self.spellings.clear();
        }
    }
}

/// Whether both hold members of the same form: then it is the members that were edited.
fn is_container(known: &Value, file: &Value) -> bool {
    matches!((known, file), (Value::Members(a), Value::Members(b)) if a.bracket == b.bracket)
}

/// Lines on their way into the tiles.
struct Keep {
    /// The numbers of the file's lines, as they are kept.
    numbers: BTreeMap<Id, Id>,
    lines: Vec<Line>,
}

impl Keep {
    /// Keeps what is hidden, unless what it stood in is gone. What was shown and isn't in the file any more is deleted.
    fn hidden(&mut self, lines: impl Iterator<Item = Line>, gone: &BTreeSet<Vec<String>>, lifted: &mut Lifted) {
        for line in lines.filter(|line| !line.is_shown()) {
            if (1..line.path.len()).filter_map(|n| line.path.get(..n)).any(|container| gone.contains(container)) {
                lifted.deleted.push(line.id);
                lifted.deleted.extend(line.value.hidden_members());
            } else {
                self.lines.push(line);
            }
        }
    }
}

/// Tables that had something to show and aren't in the file any more.
fn gone_containers(own: &[Line], file: &[Line]) -> BTreeSet<Vec<String>> {
    let containers = |line: &Line| -> Vec<Vec<String>> {
        let last = if line.what == What::Key { line.path.len().saturating_sub(1) } else { line.path.len() };
        (1..=last).filter_map(|n| line.path.get(..n)).map(<[String]>::to_vec).collect()
    };
    let there: BTreeSet<Vec<String>> = file.iter().flat_map(containers).collect();
    own.iter().filter(|l| l.is_shown()).flat_map(containers).filter(|c| !there.contains(c)).collect()
}

/// The sections of a file: each header with the keys under it; first what stands before any header.
fn sections(lines: &[Line]) -> Vec<Range<usize>> {
    let starts = lines.iter().enumerate().filter(|(_, l)| l.what != What::Key).map(|(at, _)| at);
    let mut all = Vec::new();
    let mut start = 0;
    for next in starts {
        all.push(start..next);
        start = next;
    }
    all.push(start..lines.len());
    all
}

/// Which of what was is what in the file, and where what is hidden stands among it.
struct Pairs {
    was: Vec<Option<usize>>,
    behind: BTreeMap<Option<usize>, Vec<usize>>,
}

impl Pairs {
    fn of(own: &[String], is_shown: &[bool], file: &[String]) -> Pairs {
        let shown: Vec<usize> = (0..own.len()).filter(|at| is_shown.get(*at) == Some(&true)).collect();
        let shown_names: Vec<&str> = shown.iter().filter_map(|at| own.get(*at)).map(String::as_str).collect();
        let common = common(&shown_names, &file.iter().map(String::as_str).collect::<Vec<_>>());
        let mut was: Vec<Option<usize>> = vec![None; file.len()];
        for (old, new) in &common {
            if let (Some(slot), Some(at)) = (was.get_mut(*new), shown.get(*old)) {
                *slot = Some(*at);
            }
        }
        // What moved, and what has the key of something hidden: it becomes that.
        let taken: BTreeSet<usize> = was.iter().flatten().copied().collect();
        let mut free: BTreeMap<&String, Vec<usize>> = BTreeMap::new();
        for (at, name) in own.iter().enumerate().rev().filter(|(at, _)| !taken.contains(at)) {
            free.entry(name).or_default().push(at);
        }
        for (slot, name) in was.iter_mut().zip(file).filter(|(slot, _)| slot.is_none()) {
            *slot = free.get_mut(name).and_then(Vec::pop);
        }
        let in_use: BTreeSet<usize> = was.iter().flatten().copied().collect();
        let anchors: BTreeMap<usize, usize> = common.iter().filter_map(|(old, new)| Some((*shown.get(*old)?, *new))).collect();
        let mut behind: BTreeMap<Option<usize>, Vec<usize>> = BTreeMap::new();
        let mut anchor = None;
        for at in 0..own.len() {
            anchor = anchors.get(&at).copied().or(anchor);
            if is_shown.get(at) == Some(&false) && !in_use.contains(&at) {
                behind.entry(anchor).or_default().push(at);
            }
        }
        Pairs { was, behind }
    }

    /// What something in the file was.
    fn was(&self, at: usize) -> Option<usize> {
        self.was.get(at).copied().flatten()
    }

    /// What is hidden behind something in the file; behind nothing, at the start.
    fn behind(&self, at: Option<usize>) -> &[usize] {
        self.behind.get(&at).map_or(&[], Vec::as_slice)
    }
}

impl Container {
    fn shows(&self, text: &str, line_end: &str) -> bool {
        let mut out = String::new();
        self.show(line_end, &mut out);
        out == text
    }

    /// The same members with the blanks and comments that they had.
    fn with_the_pieces_of(&self, stored: &Container) -> Container {
        let known: BTreeMap<Id, &Member> = stored.members.iter().map(|m| (m.id, m)).collect();
        let as_known = |member: &Member| match known.get(&member.id) {
            Some(known) => Member { value: member.value.clone(), hidden: member.hidden, mark: member.mark.clone(), ..(*known).clone() },
            None => member.clone(),
        };
        let members = self.members.iter().map(as_known).collect();
        Container { members, ..stored.clone() }
    }
}
