//! What a merge did, for people: told by comparing what was shown with what is.

use super::whole::{Tile, Whole, each, element};
use crate::definition::{FileKey, Node, Seg, Tree};
use crate::merge::Element;
use serde::Serialize;
use std::collections::BTreeMap;

/// What was done to an element.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Done {
    /// It has another value.
    Replace,
    /// It has another key.
    Rename,
    /// It is new.
    Add,
    /// It is hidden.
    Remove,
    /// It is shown again.
    Restore,
}

/// One change of what is shown.
#[derive(Debug, Clone, PartialEq)]
pub struct Change {
    /// The element.
    pub element: Element,
    /// What was done.
    pub done: Done,
    /// The value before.
    pub old: Option<Node>,
    /// The value now.
    pub new: Option<Node>,
    /// Why.
    pub because: String,
}

/// An element that is hidden, or was and is shown again.
#[derive(Debug, Clone, PartialEq)]
pub struct Aside {
    /// The element.
    pub element: Element,
    /// What it says.
    pub value: Option<Node>,
    /// Why.
    pub because: String,
}

/// What a merge did.
#[derive(Debug, Default)]
pub(super) struct Told {
    pub changes: Vec<Change>,
    pub set_aside: Vec<Aside>,
    pub restored: Vec<Aside>,
}

/// What was shown before, and how.
pub(super) struct Before {
    values: BTreeMap<u32, (Element, Node)>,
    /// How many tiles there were.
    count: usize,
    /// What was hidden because the draft had it no more, or the database refused it.
    away: Vec<bool>,
    stood_in: Vec<bool>,
}

impl Before {
    pub fn of(whole: &Whole, shown: &Tree) -> Before {
        let mut values = BTreeMap::new();
        for (file, root) in &shown.files {
            each(root, &mut Vec::new(), &mut |node, path| {
                if node.tile != 0 {
                    values.insert(node.tile, (element(file, root, path), node.clone()));
                }
            });
        }
        let away = whole.tiles.iter().map(|t| t.away || t.refused).collect();
        let stood_in = whole.tiles.iter().map(|t| t.stand_in.is_some()).collect();
        Before { values, count: whole.tiles.len(), away, stood_in }
    }
}

/// Tells what a merge did.
pub(super) fn tell(whole: &Whole, before: &Before) -> Told {
    let mut told = Told::default();
    for (file, root) in &whole.tree.files {
        visit(whole, before, file, root, root, &mut Vec::new(), &mut told);
    }
    told
}

fn visit(whole: &Whole, before: &Before, file: &FileKey, root: &Node, node: &Node, path: &mut Vec<Seg>, told: &mut Told) {
    let nobody = Tile::default();
    let tile = whole.tile(node).unwrap_or(&nobody);
    let (is_hidden, is_known) = (tile.is_hidden(), (node.tile as usize) < before.count && node.tile != 0);
    let place = || element(file, root, path);
    let was = before.values.get(&node.tile);
    let now = || super::whole::shown(node, &whole.tiles);
    let aside = |value: Option<Node>, because: String| Aside { element: place(), value, because };
    match (is_known, is_hidden) {
        (true, true) => {
            if let Some((_, old)) = was {
                let because = tile.because.clone();
                let by_name = !tile.away || tile.gone;
                if by_name || tile.refused {
                    told.set_aside.push(aside(Some(old.clone()), because.clone()));
                }
                told.changes.push(Change { element: place(), done: Done::Remove, old: Some(old.clone()), new: None, because });
            }
            return;
        }
        (true, false) if was.is_none() => {
            let new = now();
            let away = before.away.get(node.tile as usize).copied().unwrap_or_default();
            let because =
                if tile.because.is_empty() { "what it hung on is in the database again".to_owned() } else { tile.because.clone() };
            if !away || tile.is_back {
                told.restored.push(aside(new.clone(), because.clone()));
            }
            told.changes.push(Change { element: place(), done: Done::Restore, old: None, new, because });
            return;
        }
        (false, false) if node.tile != 0 => {
            told.changes.push(Change { element: place(), done: Done::Add, old: None, new: now(), because: tile.because.clone() });
            return;
        }
        (false, true) => return,
        _ => {}
    }
    if let Some((old_place, old)) = was {
        let is_leaf = node.items().is_empty() && node.entries().is_empty() || tile.stand_in.is_some();
        let new = now();
        let is_one = is_leaf || before.stood_in.get(node.tile as usize).copied().unwrap_or_default();
        if is_one && new.as_ref() != Some(old) {
            let stood_in = before.stood_in.get(node.tile as usize).copied().unwrap_or_default();
            match (&tile.stand_in, stood_in) {
                (Some(_), false) => told.set_aside.push(aside(Some(node.clone()), tile.because.clone())),
                (None, true) => told.restored.push(aside(new.clone(), tile.because.clone())),
                _ => {}
            }
            told.changes.push(Change { element: place(), done: Done::Replace, old: Some(old.clone()), new, because: tile.because.clone() });
            return;
        }
        let renamed = match (old_place.steps.last(), place().steps.last()) {
            (Some(crate::merge::Step::Key(a)), Some(crate::merge::Step::Key(b))) => a != b,
            _ => false,
        };
        if renamed {
            let because = tile.because.clone();
            told.changes.push(Change { element: place(), done: Done::Rename, old: None, new: None, because });
        }
    }
    for (at, item) in node.items().iter().enumerate() {
        path.push(Seg::Index(at));
        visit(whole, before, file, root, item, path, told);
        path.pop();
    }
    for entry in node.entries() {
        path.push(Seg::Key(entry.key.clone()));
        visit(whole, before, file, root, &entry.node, path, told);
        path.pop();
    }
}
