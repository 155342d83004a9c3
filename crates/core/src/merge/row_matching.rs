//! Which of a person's rows is which of the drafts': sections, menu groups, child lists and choices have no identity of their own.

use super::tile::Tile;
use super::walk::Drafts;
use super::whole::{Members, keys, rows};
use crate::definition::Node;
use crate::merge::member_key;
use std::collections::{BTreeMap, BTreeSet, HashSet};

/// Which of a person's rows is which of the drafts'. Rows are known by their tiles: two may have one title, one of them hidden.
pub(super) struct Matching {
    /// Titles of the accepted draft → yours.
    before: Pairs,
    /// Titles of the changed draft → yours.
    now: Pairs,
}

/// Titles of a draft's rows with your rows: each of them once.
#[derive(Default)]
struct Pairs {
    yours: BTreeMap<String, u32>,
    titles: BTreeMap<u32, String>,
}

impl Pairs {
    fn is_free(&self, title: &str, own: u32) -> bool {
        !self.yours.contains_key(title) && !self.titles.contains_key(&own)
    }

    fn pair(&mut self, title: &str, own: u32) {
        self.yours.insert(title.to_owned(), own);
        self.titles.insert(own, title.to_owned());
    }

    fn has(&self, title: &str, own: u32) -> bool {
        self.yours.get(title) == Some(&own)
    }
}

impl Matching {
    /// `are_titled`: what a row is called is the generator's to change. Where a person calls it otherwise, what is in it tells it;
    /// any other is known by what the generator calls it, so that it is the same whichever way the database came.
    pub(super) fn of(yours: &Node, drafts: Drafts<'_>, tiles: &[Tile], are_titled: bool) -> Matching {
        let was_hidden = |row: &Node| tiles.get(row.tile as usize).is_some_and(|t| t.was_hidden);
        let titles = |draft: Option<&Node>| keys(draft).into_iter().collect::<BTreeSet<String>>();
        let (old, new) = (titles(drafts.accepted), titles(drafts.changed));
        let (hidden, shown): (Vec<&Node>, Vec<&Node>) = yours.items().iter().partition(|row| was_hidden(row));
        // What the accepted draft has is what is shown, if it is there at all; a person's own section only where nothing is called so.
        let otherwise: Vec<&Node> = shown.iter().copied().filter(|row| is_called_otherwise(row, tiles)).collect();
        // A child list, and a choice, is what it is of: what it shares with another tells nothing.
        let nothing: Vec<&Node> = Vec::new();
        let (of_shown, of_hidden, otherwise) = if are_titled { (&shown, &hidden, &otherwise) } else { (&nothing, &nothing, &nothing) };
        let groups: [(&[&Node], &[&Node]); 4] = [(&shown, otherwise), (&hidden, &[]), (&[], of_shown), (&[], of_hidden)];
        let before = pairs(drafts.accepted, &old, &groups, Pairs::default());
        let all: Vec<&Node> = yours.items().iter().collect();
        let told: Vec<&Node> = all.iter().copied().filter(|row| are_titled && is_called_otherwise(row, tiles)).collect();
        let mut now = Pairs::default();
        if are_titled {
            let drafted: Vec<&Node> =
                shown.iter().chain(&hidden).copied().filter(|row| !is_own(row, tiles) && !is_called_otherwise(row, tiles)).collect();
            now = pairs(drafts.changed, &new, &[(&drafted, &[])], now);
            by_most_shared(drafts.changed, &told, &before, &mut now);
        }
        // A row of the changed draft is what the same row was before.
        for (title, own) in before.yours.iter().filter(|(title, _)| new.contains(*title)) {
            if now.is_free(title, *own) {
                now.pair(title, *own);
            }
        }
        let now = pairs(drafts.changed, &new, &[(&all, &told)], now);
        Matching { before, now }
    }

    pub(super) fn yours_for(&self, title: &str) -> Option<u32> {
        self.now.yours.get(title).copied()
    }

    pub(super) fn yours_before(&self, title: &str) -> Option<u32> {
        self.before.yours.get(title).copied()
    }

    /// The row of the accepted draft that one of yours is.
    pub(super) fn row_before<'a>(&self, draft: &Members<'a>, own: u32) -> Option<&'a Node> {
        self.before.titles.get(&own).and_then(|title| draft.get(title))
    }

    pub(super) fn is_there(&self, own: u32) -> bool {
        self.before.titles.contains_key(&own) || self.is_there_now(own)
    }

    pub(super) fn is_there_now(&self, own: u32) -> bool {
        self.now.titles.contains_key(&own)
    }
}

/// Pairs the other rows of a draft with yours by most shared members, whatever they are called: of equals, the row that was called
/// so before, then the one that is called so.
fn by_most_shared(draft: Option<&Node>, yours: &[&Node], before: &Pairs, pairs: &mut Pairs) {
    let mut found: Vec<(usize, bool, bool, &Node, u32)> = Vec::new();
    for row in rows(draft) {
        for own in yours {
            let (count, title) = (shared(row, own), member_key(row));
            if count > 0 {
                found.push((count, before.has(&title, own.tile), member_key(own) == title, row, own.tile));
            }
        }
    }
    found.sort_by_key(|(count, was_called, is_called, ..)| std::cmp::Reverse((*count, *was_called, *is_called)));
    for (.., row, own) in found {
        let title = member_key(row);
        if pairs.is_free(&title, own) {
            pairs.pair(&title, own);
        }
    }
}

/// Pairs the rows of a draft with those of each group in turn: by title, then with those that are known by what is in them, by most
/// shared members with a row whose title the draft hasn't.
fn pairs(draft: Option<&Node>, titles: &BTreeSet<String>, groups: &[(&[&Node], &[&Node])], known: Pairs) -> Pairs {
    let mut pairs = known;
    for (titled, by_members) in groups {
        let mut called: BTreeMap<String, Vec<&Node>> = BTreeMap::new();
        titled.iter().for_each(|row| called.entry(member_key(row)).or_default().push(row));
        let others: Vec<&Node> = by_members.iter().copied().filter(|row| !titles.contains(&member_key(row))).collect();
        for by_title in [true, false] {
            for row in rows(draft) {
                let title = member_key(row);
                if pairs.yours.contains_key(&title) {
                    continue;
                }
                let is_free = |row: &&Node| !pairs.titles.contains_key(&row.tile);
                let found = if by_title {
                    let named: Vec<&Node> = called.get(&title).into_iter().flatten().copied().filter(is_free).collect();
                    most_shared(row, named.iter().copied()).or(named.first().copied())
                } else {
                    most_shared(row, others.iter().copied().filter(is_free))
                };
                if let Some(own) = found {
                    pairs.pair(&title, own.tile);
                }
            }
        }
    }
    pairs
}

/// Whether a person calls the generator's row otherwise.
fn is_called_otherwise(row: &Node, tiles: &[Tile]) -> bool {
    !is_own(row, tiles) && row.get("title").is_some_and(|title| is_own(title, tiles))
}

fn is_own(node: &Node, tiles: &[Tile]) -> bool {
    tiles.get(node.tile as usize).is_some_and(|t| t.own)
}

/// The row that shares most members with one, the first of equals.
fn most_shared<'a>(row: &Node, rows: impl Iterator<Item = &'a Node>) -> Option<&'a Node> {
    let mut best: Option<(usize, &Node)> = None;
    for other in rows {
        let count = shared(row, other);
        if count > best.map_or(0, |(most, _)| most) {
            best = Some((count, other));
        }
    }
    best.map(|(_, other)| other)
}

fn shared(a: &Node, b: &Node) -> usize {
    let members = |n: &Node| keys(n.get("fields").or(n.get("items")));
    let b: HashSet<String> = members(b).into_iter().collect();
    members(a).iter().filter(|m| b.contains(*m)).count()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::definition::Value;

    /// `A: x y; -B: z; *C: w` as rows; a minus before what was hidden, a star before one that a person called otherwise, a plus
    /// before a person's own.
    fn rows_of(text: &str, tiles: &mut Vec<Tile>) -> Node {
        let row = |line: &str| {
            let (title, fields) = line.trim().split_once(':').unwrap();
            let fields: Vec<&str> = fields.split_whitespace().collect();
            let mut tile = |tile: Tile| {
                tiles.push(tile);
                u32::try_from(tiles.len() - 1).unwrap()
            };
            let of_row = tile(Tile { was_hidden: title.starts_with('-'), own: title.starts_with('+'), ..Tile::default() });
            let of_title = tile(Tile { own: title.starts_with('*'), ..Tile::default() });
            let called = Node { tile: of_title, ..title.trim_start_matches(['-', '*', '+']).into() };
            Node { tile: of_row, ..Node::table().with("title", called).with("fields", Node::texts(&fields)) }
        };
        Node::new(Value::List(text.split(';').filter(|line| !line.trim().is_empty()).map(row).collect()))
    }

    #[test]
    fn a_row_is_known_by_its_title_then_by_its_members_and_what_is_shown_comes_first() {
        // Yours, the drafts, and which of yours each draft's rows are: by place, from 0.
        for (yours, accepted, changed, before, now) in [
            ("A: x", "A: x", "A: x y", "A=0", "A=0"),
            // Named otherwise by a person.
            ("*Mine: x y; *Other: z", "A: x y; B: z", "A: x y; B: z", "A=0 B=1", "A=0 B=1"),
            // Two of one title: the one that is shown.
            ("-A: x; A: x", "A: x", "A: x", "A=1", "A=1"),
            // A new row is what is hidden under its title, whatever shares a member.
            ("A: x; -B: x", "A: x", "B: x", "A=0", "B=1"),
            // Its members tell it where no title does.
            ("*A: x", "A: x", "B: x", "A=0", "B=0"),
            // One that the generator calls so goes before one that shares more.
            ("A: x; *Mine: y z", "A: x; B: y z", "A: y z", "A=0 B=1", "A=0"),
            // But where the generator called it so: there it is another.
            ("A: x", "A: x", "B: x", "A=0", ""),
            ("A: x y; -B: z", "A: x y", "A: z; B: x y", "A=0", "A=0 B=1"),
            ("A: x", "", "B: y", "", ""),
            // What is in it goes before what it was called.
            ("*A: x; *B: y z", "A: x; B: y z", "C: x; A: z", "A=0 B=1", "A=1 C=0"),
            // A person's own isn't what is hidden under its title, whatever it shares with that.
            ("-A: z; +B: x; +C: y", "A: x y", "A: x y", "A=0", "A=0"),
            ("+B: x; +C: y", "A: x y", "A: x y", "A=0", "A=0"),
            // Of equals, its title.
            ("*A: x y; *B: z", "A: x y; B: z", "A: x; B: y z", "A=0 B=1", "A=0 B=1"),
        ] {
            let mut tiles = vec![Tile::default()];
            let mine = rows_of(yours, &mut tiles);
            let (accepted, changed) = (rows_of(accepted, &mut Vec::new()), rows_of(changed, &mut Vec::new()));
            let matching = Matching::of(&mine, Drafts { accepted: Some(&accepted), changed: Some(&changed) }, &tiles, true);
            let told = |pairs: &Pairs| pairs.yours.iter().map(|(title, own)| format!("{title}={}", own / 2)).collect::<Vec<_>>().join(" ");
            assert_eq!((told(&matching.before), told(&matching.now)), (before.to_owned(), now.to_owned()), "{yours}");
        }
    }
}
