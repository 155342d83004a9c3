//! The definition as kept: everything that ever stood in it and that no person deleted, shown or hidden.
//!
//! A merge works on this whole: it is read once, changed in plain steps, and what is to be shown follows from it. Every node
//! has the number of its [`Tile`], which holds what is remembered of it. Texts don't appear here: the workspace brings the
//! files to what the whole says.

use super::tile::Tile;
use super::{Element, member_key};
use crate::definition::{FileKey, Node, Seg, Tree, Value};
use rayon::prelude::*;
use std::collections::HashMap;

/// Whether a node stands as a draft has it and nothing is remembered of it: then no step of a merge has anything to do there.
pub(super) fn is_as_drafted(node: &Node, draft: Option<&Node>, tiles: &[Tile]) -> bool {
    draft.is_some_and(|draft| draft == node) && is_untouched(node, tiles)
}

fn is_untouched(node: &Node, tiles: &[Tile]) -> bool {
    let tile = tiles.get(node.tile as usize);
    (node.tile == 0 || tile.is_none_or(|tile| *tile == Tile::default()))
        && node.entries().iter().all(|entry| is_untouched(&entry.node, tiles))
        && node.items().iter().all(|item| is_untouched(item, tiles))
}

/// The definition with everything that is hidden.
#[derive(Debug, Clone, Default)]
pub struct Whole {
    /// Every file; each node has the number of its tile.
    pub tree: Tree,
    /// By number; the first belongs to nobody.
    pub tiles: Vec<Tile>,
}

impl Whole {
    /// What is remembered of a node.
    pub fn tile(&self, node: &Node) -> Option<&Tile> {
        self.tiles.get(node.tile as usize)
    }

    /// What the files show.
    pub fn shown(&self) -> Tree {
        let files: Vec<(&FileKey, &Node)> = self.tree.files.iter().collect();
        let partly = |(file, node): (&FileKey, &Node)| {
            let whole = is_all_shown(node, &self.tiles);
            (file.clone(), if whole { None } else { Some(shown(node, &self.tiles)) })
        };
        let mut tree = Tree { asleep: self.tree.asleep.clone(), ..Tree::default() };
        for (file, partly) in files.into_par_iter().map(partly).collect::<Vec<_>>() {
            match partly {
                // What hides nothing is shown as it is.
                None => tree.files.share(&file, &self.tree.files),
                Some(node) => tree.files.extend(node.map(|node| (file, node))),
            }
        }
        tree
    }
}

/// Whether nothing of a node is hidden or stands behind something else.
fn is_all_shown(node: &Node, tiles: &[Tile]) -> bool {
    let tile = tiles.get(node.tile as usize);
    !tile.is_some_and(|tile| tile.is_hidden() || tile.stand_in.is_some())
        && node.items().iter().all(|item| is_all_shown(item, tiles))
        && node.entries().iter().all(|entry| is_all_shown(&entry.node, tiles))
}

/// What is shown of a node; nothing where it is hidden.
pub(super) fn shown(node: &Node, tiles: &[Tile]) -> Option<Node> {
    let tile = tiles.get(node.tile as usize);
    if tile.is_some_and(Tile::is_hidden) {
        return None;
    }
    if let Some(stand_in) = tile.and_then(|t| t.stand_in.as_ref()) {
        return Some(Node { tile: node.tile, ..stand_in.value.clone() });
    }
    let value = match &node.value {
        Value::List(items) => Value::List(items.iter().filter_map(|item| shown(item, tiles)).collect()),
        Value::Table(entries) => {
            let shown = entries.iter().filter_map(|e| Some(crate::definition::Entry { node: shown(&e.node, tiles)?, ..e.clone() }));
            Value::Table(shown.collect())
        }
        other => other.clone(),
    };
    Some(Node { value, ..node.clone() })
}

/// Gives a node and everything in it numbers, and each a tile that a merge put in.
pub(super) fn numbered(mut node: Node, tiles: &mut Vec<Tile>, because: &str) -> Node {
    if tiles.is_empty() {
        tiles.push(Tile::default());
    }
    node.tile = u32::try_from(tiles.len()).unwrap_or(u32::MAX);
    // An array that comes in empty stands as one that was there: what comes into it later doesn't take it along.
    let added = !matches!(&node.value, Value::List(items) if items.is_empty());
    tiles.push(Tile { added, because: because.to_owned(), ..Tile::default() });
    match &mut node.value {
        Value::List(items) => items.iter_mut().for_each(|item| *item = numbered(std::mem::take(item), tiles, because)),
        Value::Table(entries) => entries.iter_mut().for_each(|e| e.node = numbered(std::mem::take(&mut e.node), tiles, because)),
        _ => {}
    }
    node
}

/// Whether a person made anything of a node.
pub(super) fn has_own(node: &Node, tiles: &[Tile]) -> bool {
    tiles.get(node.tile as usize).is_some_and(|t| t.own)
        || node.items().iter().any(|item| has_own(item, tiles))
        || node.entries().iter().any(|e| has_own(&e.node, tiles))
}

/// The members of an array.
pub(super) fn rows(node: Option<&Node>) -> &[Node] {
    node.map(Node::items).unwrap_or_default()
}

/// The keys of an array's members.
pub(super) fn keys(node: Option<&Node>) -> Vec<String> {
    node.map(|n| n.items().iter().map(member_key).collect()).unwrap_or_default()
}

/// The members of an array by their keys: of those with one key, the first.
pub(super) struct Members<'a>(HashMap<String, &'a Node>);

impl<'a> Members<'a> {
    pub(super) fn of(array: Option<&'a Node>) -> Members<'a> {
        let mut members = HashMap::new();
        for member in array.map(Node::items).unwrap_or_default() {
            members.entry(member_key(member)).or_insert(member);
        }
        Members(members)
    }

    pub(super) fn get(&self, key: &str) -> Option<&'a Node> {
        self.0.get(key).copied()
    }
}

/// The member of an array with a key.
pub(super) fn item<'a>(node: Option<&'a Node>, key: &str) -> Option<&'a Node> {
    node?.items().iter().find(|i| member_key(i) == key)
}

/// Where something new goes among what is there: behind the nearest that stands before it in the draft, else before the
/// nearest that stands behind it, else last.
pub(super) fn place_by(draft: &[String], new: &str, there: &[String]) -> usize {
    let own = draft.iter().position(|k| k == new).unwrap_or(draft.len());
    let position = |k: &String| there.iter().position(|t| t == k);
    let behind = draft.iter().take(own).rev().find_map(position).map(|at| at + 1);
    behind.or_else(|| draft.iter().skip(own + 1).find_map(position)).unwrap_or(there.len())
}

/// The element at a place.
pub(super) fn element(file: &FileKey, root: &Node, path: &[Seg]) -> Element {
    Element::at(file, root, path)
}
