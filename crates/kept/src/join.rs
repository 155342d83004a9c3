//! Bringing together what two people hid in one file: the tiles of one take in what is hidden in the other's.

use crate::tiles::{Container, Id, Line, Member, Tiles, Value, What};
use std::collections::{BTreeMap, BTreeSet};

impl Tiles {
    /// Takes in what is hidden in `other` and isn't here, beside its neighbours there, and what `other` remembers of what is
    /// the same in both. Nothing that is shown changes.
    pub fn take_hidden(&mut self, other: &Tiles) {
        for (key, note) in &other.mark.notes {
            self.mark.notes.entry(*key).or_insert_with(|| note.clone());
        }
        let mut same: BTreeMap<Id, Id> = BTreeMap::new();
        let mut taken: BTreeSet<Id> = BTreeSet::new();
        let mut behind: Option<Id> = None;
        for line in &other.lines {
            let Some(blocks) = mapped(&line.blocks, line.what, &same) else { continue };
            match self.like(other, line, &blocks, &taken) {
                Some(at) => {
                    let id = self.lines.get(at).map_or(line.id, |l| l.id);
                    taken.insert(id);
                    same.insert(line.id, id);
                    let mut next = self.next;
                    if let Some(mine) = self.lines.get_mut(at) {
                        same_line(mine, line, &mut next);
                    }
                    self.next = next;
                    behind = Some(id);
                }
                None if !line.is_shown() => {
                    let mut new = line.clone();
                    new.id = self.fresh();
                    same.insert(line.id, new.id);
                    self.number_anew(&mut new.value);
                    new.blocks = blocks;
                    if line.what == What::Each {
                        new.blocks.push(new.id);
                    }
                    // It is hidden with what it is hidden with there, where that is hidden here too; else for itself.
                    let is_hidden = |id: &&Id| **id == new.id || self.lines.iter().any(|l| l.id == **id && l.hidden.contains(id));
                    let with: BTreeSet<Id> = line.hidden.iter().filter_map(|id| same.get(id)).filter(is_hidden).copied().collect();
                    new.hidden = if with.is_empty() { BTreeSet::from([new.id]) } else { with };
                    let id = new.id;
                    let place = behind.and_then(|b| self.lines.iter().position(|l| l.id == b)).map_or(0, |at| at + 1);
                    self.lines.insert(place, new);
                    taken.insert(id);
                    behind = Some(id);
                }
                None => {}
            }
        }
    }

    /// The line here that is one of the other's: it says the same key in the same block; of several blocks, the one that says
    /// the same, else the first that is left.
    fn like(&self, other: &Tiles, line: &Line, blocks: &[Id], taken: &BTreeSet<Id>) -> Option<usize> {
        let is_like = |mine: &&Line| {
            let around = if mine.what == What::Each { mine.blocks.split_last().map_or(&[][..], |(_, rest)| rest) } else { &mine.blocks };
            mine.what == line.what && mine.path == line.path && around == blocks && !taken.contains(&mine.id)
        };
        let found: Vec<&Line> = self.lines.iter().filter(is_like).collect();
        let wanted = (line.what == What::Each).then(|| other.said_in(line.id));
        let best = match wanted {
            // A block that is hidden here and says something else is another one.
            Some(wanted) => {
                let equal = found.iter().find(|mine| self.said_in(mine.id) == wanted);
                equal.or_else(|| found.first().filter(|_| line.is_shown())).copied()
            }
            None => found.first().copied(),
        };
        best.and_then(|best| self.lines.iter().position(|l| l.id == best.id))
    }

    /// What stands in a block, hidden or not.
    fn said_in(&self, block: Id) -> String {
        let lines = self.lines.iter().filter(|line| line.blocks.contains(&block));
        lines.map(|line| format!("{}{}\n", line.head, line.value.whole())).collect()
    }
}

/// The blocks around a line as they are numbered here.
fn mapped(blocks: &[Id], what: What, same: &BTreeMap<Id, Id>) -> Option<Vec<Id>> {
    let around = if what == What::Each { blocks.split_last().map_or(&[][..], |(_, rest)| rest) } else { blocks };
    around.iter().map(|id| same.get(id).copied()).collect()
}

/// What is hidden in a value of the other's comes into the same value here, and what is remembered of it.
fn same_line(mine: &mut Line, other: &Line, next: &mut u32) {
    if mine.value.whole() == other.value.whole() {
        take_mark(&mut mine.mark, &other.mark);
    }
    same_value(&mut mine.value, &other.value, next);
}

fn take_mark(mine: &mut crate::Mark, other: &crate::Mark) {
    mine.own |= other.own;
    mine.laid |= other.laid;
    if mine.behind.is_none() {
        mine.behind.clone_from(&other.behind);
        for (key, note) in &other.notes {
            mine.notes.entry(*key).or_insert_with(|| note.clone());
        }
    }
    let new = other.spellings.iter().filter(|spelling| !mine.spellings.contains(spelling)).cloned();
    mine.spellings.extend(new.collect::<Vec<_>>());
}

fn same_value(mine: &mut Value, other: &Value, next: &mut u32) {
    let (Value::Members(mine), Value::Members(other)) = (mine, other) else { return };
    let is_table = mine.bracket == '{';
    // The members that were matched already, and the last of them.
    let (mut taken, mut behind): (BTreeSet<Id>, Option<Id>) = (BTreeSet::new(), None);
    for member in &other.members {
        let key = member.key();
        let found = mine.members.iter_mut().find(|m| m.key() == key && !taken.contains(&m.id));
        match found {
            Some(known) => {
                if is_table || known.value.whole() == member.value.whole() {
                    take_mark(&mut known.mark, &member.mark);
                    same_value(&mut known.value, &member.value, next);
                }
                taken.insert(known.id);
                behind = Some(known.id);
            }
            None if member.hidden => {
                let mut new = member.clone();
                renumber(&mut new, next);
                taken.insert(new.id);
                let place = behind.and_then(|b| mine.members.iter().position(|m| m.id == b)).map_or(0, |at| at + 1);
                behind = Some(new.id);
                mine.members.insert(place, new);
            }
            None => {}
        }
    }
    separated(mine);
}

/// Members that never were behind another have to know how they would stand there.
fn separated(container: &mut Container) {
    let usual = container.members.iter().find_map(|m| m.sep.clone());
    let usual = usual.unwrap_or_else(|| if container.first.contains('\n') { container.first.clone() } else { " ".to_owned() });
    if container.members.len() > 1 {
        container.members.iter_mut().filter(|m| m.sep.is_none()).for_each(|m| m.sep = Some(usual.clone()));
    }
}

fn renumber(member: &mut Member, next: &mut u32) {
    member.id = Id(*next);
    *next += 1;
    member.value.each_mut(&mut |inner| {
        inner.id = Id(*next);
        *next += 1;
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Tiles of a text in which the lines that begin so, and the members that are so, are hidden.
    fn tiles(text: &str, hidden: &[&str]) -> Tiles {
        let mut tiles = crate::read(text).unwrap();
        for wanted in hidden {
            let line = tiles.lines.iter().find(|l| l.head.trim_start().starts_with(wanted)).map(|l| l.id);
            let mut member = None;
            tiles.lines.iter().for_each(|l| l.value.each(&mut |m| member = member.or((m.key() == *wanted).then_some(m.id))));
            tiles.hide(line.or(member).unwrap_or_else(|| panic!("{wanted}")));
        }
        tiles
    }

    #[test]
    fn what_either_side_hid_is_hidden_once_and_nothing_shown_changes() {
        let base = "a = 1\nlist = [\"x\", \"y\", \"z\"]\n\n[t]\nk = 1 # why\n\n[u]\nl = 2\n";
        for (ours, theirs, shown_again) in [
            // Only theirs hid it: a line, a member, a table with all in it.
            (
                ("a = 1\nlist = [\"x\"]\n", &[][..]),
                ("a = 1\nb = 2 # two\nlist = [\"x\", \"y\"]\n", &["b", "\"y\""][..]),
                "a = 1\nb = 2 # two\nlist = [\"x\", \"y\"]\n",
            ),
            (("[u]\nl = 2\n", &[]), ("[t]\nk = 1 # why\n\n[u]\nl = 2\n", &["[t]"]), "[t]\nk = 1 # why\n[u]\nl = 2\n"),
            // Both hid it: once.
            ((base, &["[t]", "\"y\""]), (base, &["[t]", "\"y\"", "\"z\""]), base),
            // Each hid something else.
            (("a = 1\nb = 2\n", &["b"]), ("a = 1\nc = 3\n", &["c"]), "a = 1\nc = 3\nb = 2\n"),
        ] {
            let (mut mine, other) = (tiles(ours.0, ours.1), tiles(theirs.0, theirs.1));
            let before = mine.shown();
            mine.take_hidden(&other);
            assert_eq!(mine.shown(), before, "{ours:?} {theirs:?}");
            // It reads back, and everything shown again is in its place.
            let mut mine = Tiles::from_list(&mine.list()).unwrap();
            let all = mine.ids();
            all.into_iter().for_each(|id| mine.show(id));
            assert_eq!(mine.shown(), shown_again, "{ours:?} {theirs:?}");
        }
    }
}
