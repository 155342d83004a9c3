//! What a merge did, for people: told by comparing what was shown with what is.

use super::tile::Tile;
use super::whole::{Whole, element};
use crate::definition::{FileKey, Node, Seg};
use crate::merge::Element;
use serde::Serialize;

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
pub(super) struct Before<'a> {
    whole: &'a Whole,
    /// By number: the node, and its key where it is a table's entry.
    nodes: Vec<Option<(&'a Node, Option<&'a str>)>>,
}

impl<'a> Before<'a> {
    pub fn of(whole: &'a Whole) -> Before<'a> {
        let mut nodes = vec![None; whole.tiles.len()];
        for root in whole.tree.files.values() {
            number(root, None, &mut nodes);
        }
        Before { whole, nodes }
    }

    /// The node of a number, where it was shown, with its key.
    fn shown(&self, tile: u32) -> Option<(&'a Node, Option<&'a str>)> {
        let (node, key) = self.nodes.get(tile as usize).copied().flatten()?;
        let was_hidden = self.whole.tile(node).is_some_and(|t| t.was_hidden);
        (!was_hidden).then_some((node, key))
    }

    fn tile(&self, tile: u32) -> Option<&Tile> {
        self.whole.tiles.get(tile as usize)
    }
}

fn number<'a>(node: &'a Node, key: Option<&'a str>, nodes: &mut [Option<(&'a Node, Option<&'a str>)>]) {
    if let Some(slot) = nodes.get_mut(node.tile as usize).filter(|_| node.tile != 0) {
        *slot = Some((node, key));
    }
    node.items().iter().for_each(|item| number(item, None, nodes));
    node.entries().iter().for_each(|e| number(&e.node, Some(&e.key), nodes));
}

/// Tells what a merge did.
pub(super) fn tell(whole: &Whole, before: &Before<'_>) -> Told {
    let mut told = Told::default();
    for (file, root) in &whole.tree.files {
        visit(whole, before, file, root, root, &mut Vec::new(), &mut told);
    }
    told
}

fn visit(whole: &Whole, before: &Before<'_>, file: &FileKey, root: &Node, node: &Node, path: &mut Vec<Seg>, told: &mut Told) {
    let nobody = Tile::default();
    let tile = whole.tile(node).unwrap_or(&nobody);
    let (is_hidden, is_known) = (tile.is_hidden(), (node.tile as usize) < before.nodes.len() && node.tile != 0);
    let place = || element(file, root, path);
    let was = before.shown(node.tile);
    let old = || was.and_then(|(was, _)| super::whole::shown(was, &before.whole.tiles));
    let now = || super::whole::shown(node, &whole.tiles);
    let because = || tile.because.clone();
    match (is_known, is_hidden) {
        (true, true) => {
            if was.is_some() {
                if !tile.away || tile.gone || tile.refused {
                    told.set_aside.push(Aside { element: place(), value: old(), because: because() });
                }
                told.changes.push(Change { element: place(), done: Done::Remove, old: old(), new: None, because: because() });
            }
            return;
        }
        (true, false) if was.is_none() => {
            let was_away = before.tile(node.tile).is_some_and(|t| t.away || t.refused);
            let because = if tile.because.is_empty() { "what it hung on is in the database again".to_owned() } else { because() };
            if !was_away || tile.is_back {
                told.restored.push(Aside { element: place(), value: now(), because: because.clone() });
            }
            told.changes.push(Change { element: place(), done: Done::Restore, old: None, new: now(), because });
            return;
        }
        (false, false) if node.tile != 0 => {
            told.changes.push(Change { element: place(), done: Done::Add, old: None, new: now(), because: because() });
            return;
        }
        (false, true) => return,
        _ => {}
    }
    if let Some((_, old_key)) = was {
        let stood_in = before.tile(node.tile).is_some_and(|t| t.stand_in.is_some());
        let is_leaf = node.items().is_empty() && node.entries().is_empty();
        if (is_leaf || stood_in || tile.stand_in.is_some()) && now() != old() {
            match (&tile.stand_in, stood_in) {
                (Some(_), false) => told.set_aside.push(Aside { element: place(), value: Some(node.clone()), because: because() }),
                (None, true) => told.restored.push(Aside { element: place(), value: now(), because: because() }),
                _ => {}
            }
            told.changes.push(Change { element: place(), done: Done::Replace, old: old(), new: now(), because: because() });
            return;
        }
        if let (Some(old_key), Some(Seg::Key(key))) = (old_key, path.last())
            && old_key != key
        {
            told.changes.push(Change { element: place(), done: Done::Rename, old: None, new: None, because: because() });
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
