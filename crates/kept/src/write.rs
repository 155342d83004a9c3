//! What a program writes into a kept text: values, keys, new lines, and what is hidden.

use crate::path::parts;
use crate::read::{Unreadable, read_as};
use crate::tiles::{Id, Line, Mark, Member, Tiles, Value, What};
use std::collections::BTreeSet;

impl Tiles {
    /// Its lines, hidden ones too, in the order of the file.
    pub fn lines(&self) -> &[Line] {
        &self.lines
    }

    /// What is remembered of a tile.
    pub fn mark_mut(&mut self, id: Id) -> Option<&mut Mark> {
        match self.place_mut(id)? {
            Place::Line(line) => Some(&mut line.mark),
            Place::Member(member) => Some(&mut member.mark),
        }
    }

    /// Calls with what is remembered of every line and member.
    pub fn each_mark(&mut self, visit: &mut dyn FnMut(Id, &mut Mark)) {
        for line in &mut self.lines {
            visit(line.id, &mut line.mark);
            line.value.each_mut(&mut |member| visit(member.id, &mut member.mark));
        }
    }

    /// A tile's value as it is written, hidden members and all.
    pub fn written(&self, id: Id) -> Option<String> {
        let mut found = None;
        for line in &self.lines {
            if line.id == id {
                found = Some(&line.value);
            }
            line.value.each(&mut |member| {
                if member.id == id {
                    found = Some(&member.value);
                }
            });
        }
        let mut out = String::new();
        found?.show(self.line_end, &mut out);
        Some(out)
    }

    /// Replaces a tile's value; `text` is the value as TOML. What stands around it stays.
    ///
    /// # Errors
    /// Where the text isn't one value, or there is no such tile.
    pub fn write(&mut self, id: Id, text: &str) -> Result<(), Unreadable> {
        let mut read = read_as(&format!("v = {text}\n"), self.line_end)?;
        let value = (read.lines.len() == 1).then(|| read.lines.pop()).flatten().map(|line| line.value);
        let Some(mut value) = value else { return Err(no("one value belongs here")) };
        self.number_anew(&mut value);
        match self.place_mut(id) {
            Some(Place::Line(line)) => line.value = value,
            Some(Place::Member(member)) => member.value = value,
            None => return Err(no("there is no such tile")),
        }
        Ok(())
    }

    /// Gives a key of a line or entry another name; `at` counts the keys from the file's root, or from the entry's first, and
    /// `spelled` makes the new spelling from the one before.
    pub fn rename_key(&mut self, id: Id, at: usize, spelled: &dyn Fn(&str) -> String) {
        match self.place_mut(id) {
            Some(Place::Line(line)) => {
                let own = match line.what {
                    What::Key => parts(line.head.trim_end().trim_end_matches('=')).len(),
                    What::Table | What::Each => line.path.len(),
                };
                let before = line.path.len() - own;
                if at >= before {
                    line.head = with_key(&line.head, at - before, spelled);
                }
                if let Some(key) = line.path.get_mut(at) {
                    *key = parts(&spelled("")).concat();
                }
            }
            Some(Place::Member(member)) => member.head = with_key(&member.head, at, spelled),
            None => {}
        }
    }

    /// Puts new lines in at a place among all lines, hidden ones too. `text` is TOML as it stands there: headers with their
    /// keys, or keys alone, which then belong to the header before the place.
    ///
    /// # Errors
    /// Where the text isn't TOML.
    pub fn insert_lines(&mut self, at: usize, text: &str) -> Result<Vec<Id>, Unreadable> {
        let text = if self.line_end == "\n" { text.to_owned() } else { text.replace('\n', self.line_end) };
        let new = read_as(&text, self.line_end)?;
        let at = at.min(self.lines.len());
        let table = self.lines.get(..at).unwrap_or_default().iter().rev().find(|l| l.what != What::Key);
        let around = table.map(|l| (l.path.clone(), l.blocks.clone())).unwrap_or_default();
        let mut ids = Vec::new();
        let mut under_own = false;
        let mut own_table: (Vec<String>, Vec<Id>) = Default::default();
        for (n, mut line) in new.lines.into_iter().enumerate() {
            line.id = self.fresh();
            self.number_anew(&mut line.value);
            match line.what {
                What::Key if !under_own => {
                    line.path = [around.0.clone(), line.path].concat();
                    line.blocks.clone_from(&around.1);
                }
                What::Key => line.blocks.clone_from(&own_table.1),
                What::Table | What::Each => {
                    under_own = true;
                    line.blocks = self.blocks_at(at + n, line.what, &line.path, line.id);
                    own_table = (line.path.clone(), line.blocks.clone());
                }
            }
            ids.push(line.id);
            self.lines.insert(at + n, line);
        }
        // Later blocks of the same list stay what they are; what follows a new header belongs to its own.
        Ok(ids)
    }

    fn blocks_at(&self, at: usize, what: What, path: &[String], id: Id) -> Vec<Id> {
        let mut latest = std::collections::BTreeMap::new();
        for line in self.lines.get(..at).unwrap_or_default().iter().filter(|l| l.what != What::Key) {
            crate::list::blocks_of(line.what, &line.path, line.id, &mut latest);
        }
        crate::list::blocks_of(what, path, id, &mut latest)
    }

    /// Hides exactly these lines and members.
    pub fn hide_only(&mut self, hidden: &BTreeSet<Id>) {
        for line in &mut self.lines {
            line.hidden = if hidden.contains(&line.id) { BTreeSet::from([line.id]) } else { BTreeSet::new() };
            line.value.each_mut(&mut |member| member.hidden = hidden.contains(&member.id));
        }
    }

    /// Takes a tile out for good.
    pub fn delete(&mut self, id: Id) {
        fn within(value: &mut Value, id: Id) {
            if let Value::Members(container) = value {
                container.members.retain(|m| m.id != id);
                container.members.iter_mut().for_each(|m| within(&mut m.value, id));
            }
        }
        self.lines.retain(|line| line.id != id);
        self.lines.iter_mut().for_each(|line| within(&mut line.value, id));
    }

    fn place_mut(&mut self, id: Id) -> Option<Place<'_>> {
        fn within(value: &mut Value, id: Id) -> Option<&mut Member> {
            let Value::Members(container) = value else { return None };
            for member in &mut container.members {
                if member.id == id {
                    return Some(member);
                }
                if let Some(found) = within(&mut member.value, id) {
                    return Some(found);
                }
            }
            None
        }
        for line in &mut self.lines {
            if line.id == id {
                return Some(Place::Line(line));
            }
            if let Some(member) = within(&mut line.value, id) {
                return Some(Place::Member(member));
            }
        }
        None
    }
}

/// A tile where it stands.
enum Place<'t> {
    Line(&'t mut Line),
    Member(&'t mut Member),
}

/// A dotted key, or a header, with one of its keys in another spelling.
fn with_key(head: &str, at: usize, spelled: &dyn Fn(&str) -> String) -> String {
    let (mut start, mut n) = (head.find(|c: char| !c.is_whitespace() && c != '[').unwrap_or(0), 0);
    loop {
        let rest = head.get(start..).unwrap_or_default();
        let blank = rest.len() - rest.trim_start().len();
        let begin = start + blank;
        let end = match rest.trim_start().chars().next() {
            Some('"' | '\'') => crate::scan::string_end(head, begin),
            _ => begin + rest.trim_start().find(|c: char| !c.is_alphanumeric() && c != '_' && c != '-').unwrap_or(rest.trim_start().len()),
        };
        if n == at {
            let to = spelled(head.get(begin..end).unwrap_or_default());
            return format!("{}{to}{}", head.get(..begin).unwrap_or_default(), head.get(end..).unwrap_or_default());
        }
        match head.get(end..).and_then(|t| t.find('.')) {
            Some(dot) => start = end + dot + 1,
            None => return head.to_owned(),
        }
        n += 1;
    }
}

fn no(message: &str) -> Unreadable {
    Unreadable { at: None, message: message.to_owned() }
}
