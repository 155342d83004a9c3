//! Customisations: what a person made of the draft, and the edit that would give one up again.

use super::Step;
use super::outcome::MergeInput;
use super::run::merge;
use super::values::Kept;
use super::walk::enter_key;
use super::whole::{Whole, numbered};
use crate::definition::{FileKey, Node, Seg, Value};
use std::collections::BTreeMap;

/// Every customisation, with what the draft says instead: a merge with the accepted schema itself, which changes
/// nothing, knows them all.
pub fn customisations(input: &MergeInput<'_>) -> Vec<Kept> {
    let answers = BTreeMap::new();
    let kept = merge(&MergeInput { changed: input.accepted, answers: &answers, ..*input }).kept;
    let mut apart = Vec::new();
    kept.into_iter().for_each(|one| split(one, &mut apart));
    apart
}

/// What is kept as a whole (access, which a merge never touches by halves) told key by key.
fn split(kept: Kept, out: &mut Vec<Kept>) {
    let (Some(Value::Table(yours)), Some(Value::Table(draft))) =
        (kept.yours.as_ref().map(|n| &n.value), kept.draft.as_ref().map(|n| &n.value))
    else {
        return out.push(kept);
    };
    let mut keys: Vec<&String> = yours.iter().chain(draft).map(|e| &e.key).collect();
    keys.sort();
    keys.dedup();
    let get = |node: &Option<Node>, key: &str| node.as_ref().and_then(|n| n.get(key)).cloned();
    for key in keys {
        let (yours, draft) = (get(&kept.yours, key), get(&kept.draft, key));
        if yours != draft {
            split(Kept { element: kept.element.key(key), yours, draft, concerned: kept.concerned }, out);
        }
    }
}

/// The whole in which a customisation is given up.
pub fn reset(whole: &Whole, kept: &Kept) -> Whole {
    let mut whole = whole.clone();
    let Whole { tree, tiles } = &mut whole;
    let because = "given up";
    let element = &kept.element;
    let Some(root) = tree.files.get_mut(&element.file) else {
        if let (FileKey::Entity(_), Some(draft)) = (&element.file, &kept.draft) {
            tree.files.insert(element.file.clone(), numbered(draft.clone(), tiles, because));
        }
        return whole;
    };
    let path = element.resolve(root);
    match (path.and_then(|path| root.at_path_mut(&path)), &kept.draft) {
        (Some(node), None) => {
            if let Some(tile) = tiles.get_mut(node.tile as usize) {
                tile.gone = true;
            }
        }
        (Some(node), Some(draft)) => {
            let number = node.tile;
            let blocks = matches!(&node.value, Value::List(items) if items.iter().any(|i| matches!(i.value, Value::Table(_))));
            if let (true, Value::List(items)) = (blocks, &mut node.value) {
                for item in items.iter() {
                    if let Some(tile) = tiles.get_mut(item.tile as usize) {
                        tile.gone = true;
                    }
                }
                items.extend(draft.items().iter().map(|item| numbered(item.clone(), tiles, because)));
                return whole;
            }
            let value = numbered(draft.clone(), tiles, because);
            *node = Node { tile: number, ..value };
        }
        (None, Some(draft)) => {
            let around = element.parent();
            let Some(parent) = around.resolve(root).and_then(|path| root.at_path_mut(&path)) else { return whole };
            let new = numbered(draft.clone(), tiles, because);
            match (element.steps.last(), &mut parent.value) {
                (Some(Step::Member(_)), Value::List(items)) => items.push(new),
                (Some(Step::Key(key)), _) => enter_key(parent, key, new, None),
                _ => {}
            }
        }
        (None, None) => {}
    }
    whole
}

/// A configuration with more tables excluded: the deepest part of `database.tables.exclude` that is there decides what is added.
pub fn with_excluded(whole: &Whole, tables: &Node) -> Whole {
    let mut whole = whole.clone();
    let Whole { tree, tiles } = &mut whole;
    let Some(root) = tree.files.get_mut(&FileKey::App) else { return whole };
    let keys: Vec<Seg> = ["database", "tables", "exclude"].into_iter().map(Seg::from).collect();
    let depth = (0..=keys.len()).rev().find(|d| root.at_path(&keys[..*d]).is_some()).unwrap_or_default();
    let Some(found) = root.at_path_mut(&keys[..depth]) else { return whole };
    let exclude = || Node::table().with("exclude", tables.clone());
    match (depth, &mut found.value) {
        (3, Value::List(items)) => items.extend(tables.items().iter().map(|t| numbered(t.clone(), tiles, ""))),
        (2, _) => {
            let around = Node::table().with("include", Node::table()).with("exclude", Node::table());
            enter_key(found, "exclude", numbered(tables.clone(), tiles, ""), Some(&around));
        }
        (1, _) => {
            let around = Node::table().with("url", Node::table()).with("schemas", Node::table()).with("tables", Node::table());
            enter_key(found, "tables", numbered(exclude(), tiles, ""), Some(&around));
        }
        _ => enter_key(found, "database", numbered(Node::table().with("tables", exclude()), tiles, ""), None),
    }
    whole
}
