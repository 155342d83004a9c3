//! What an edit took the place of for good: hidden tiles that went with what they stood in or gave way to something of their
//! name, and values behind a stand-in that somebody edited.

use crate::show::closing;
use crate::tiles::{Id, Tiles, Value};
use std::collections::BTreeMap;

/// What was kept and isn't any more.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Superseded {
    /// The keys that lead to its line.
    pub path: Vec<String>,
    /// Its text as it stood.
    pub text: String,
}

/// What a tile is kept for.
struct Known {
    is_hidden: bool,
    text: String,
    behind: Option<String>,
    path: Vec<String>,
}

impl Tiles {
    /// What was kept in `before`, the same tiles before an edit, and isn't any more.
    pub fn superseded(&self, before: &Tiles) -> Vec<Superseded> {
        let now = before.known_in(self);
        let mut gone = Vec::new();
        for (id, was) in before.known_in(before) {
            let is = now.get(&id);
            let gave_way = was.is_hidden && is.is_none_or(|is| !is.is_hidden && is.text != was.text);
            let behind = was.behind.filter(|_| is.is_none_or(|is| is.behind.is_none()));
            let texts = gave_way.then_some(was.text).into_iter().chain(behind);
            gone.extend(texts.map(|text| Superseded { path: was.path.clone(), text }));
        }
        gone
    }

    /// The tiles of `tiles` that are hidden for themselves here, or have something behind them.
    fn known_in(&self, tiles: &Tiles) -> BTreeMap<Id, Known> {
        let mut kept: BTreeMap<Id, Known> = BTreeMap::new();
        let mut wanted: Vec<Id> = Vec::new();
        for line in &self.lines {
            let mut add = |id: Id, is_wanted: bool| wanted.extend(is_wanted.then_some(id));
            add(line.id, line.hidden.contains(&line.id) || line.mark.behind.is_some());
            line.value.each(&mut |member| add(member.id, member.hidden || member.mark.behind.is_some()));
        }
        wanted.sort_unstable();
        let is_wanted = |id: Id| wanted.binary_search(&id).is_ok();
        for line in &tiles.lines {
            let mut add = |id: Id, is_hidden: bool, text: String, behind: &Option<String>| {
                kept.insert(id, Known { is_hidden, text, behind: behind.clone(), path: line.path.clone() });
            };
            if is_wanted(line.id) {
                add(line.id, line.hidden.contains(&line.id), format!("{}{}", line.head.trim_start(), text(&line.value)), &line.mark.behind);
            }
            line.value.each(&mut |member| {
                if is_wanted(member.id) {
                    add(member.id, member.hidden, format!("{}{}", member.head.trim(), text(&member.value)), &member.mark.behind);
                }
            });
        }
        kept
    }
}

/// A value as it stood, on one line, what is hidden in it too.
fn text(value: &Value) -> String {
    match value {
        Value::Plain(text) => text.clone(),
        Value::Members(container) => {
            let members: Vec<String> = container.members.iter().map(|m| format!("{}{}", m.head.trim(), text(&m.value))).collect();
            format!("{}{}{}", container.bracket, members.join(", "), closing(container.bracket))
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::read;

    #[test]
    fn what_an_edit_takes_the_place_of_is_told_once() {
        let text = "label = 'Ours'\nhide = [\"a\", \"price\"]\n\n[field.x]\nkind = \"text\"\n";
        for (hidden, edited, told) in [
            // A line goes with what is hidden in it.
            ("\"price\"", "label = 'Ours'\n\n[field.x]\nkind = \"text\"\n", vec!["\"price\""]),
            ("\"price\"", "label = 'Ours'\nhide = [\"a\", \"b\"]\n\n[field.x]\nkind = \"text\"\n", vec![]),
            // Somebody writes a key that is hidden.
            ("label", "label = 'Theirs'\nhide = [\"a\", \"price\"]\n\n[field.x]\nkind = \"text\"\n", vec!["label = 'Ours'"]),
            ("label", "label = 'Ours'\nhide = [\"a\", \"price\"]\n\n[field.x]\nkind = \"text\"\n", vec![]),
        ] {
            let mut before = read(text).unwrap();
            let line = before.lines().iter().find(|l| l.path().last().is_some_and(|k| k == hidden)).map(|l| l.id());
            let member = before.members("hide").find(|m| m.key() == hidden).map(|m| m.id());
            before.hide(line.or(member).unwrap());
            let mut after = before.clone();
            after.lift(edited).unwrap();
            let gone: Vec<String> = after.superseded(&before).into_iter().map(|s| s.text).collect();
            assert_eq!(gone, told, "{hidden} in {edited}");
        }
    }
}
