//! What is a person's: what somebody wrote or edited, until it says what the draft says.

use super::tile::Tile;
use super::values::default_of;
use super::whole::{Members, Whole, is_as_drafted, keys};
use super::{Element, member_key};
use crate::definition::{EntityIndex, FileKey, KnownField, Node, Shape, Tree, shape_of};
use std::collections::BTreeSet;

/// Settles whose each tile is by the draft for the accepted schema. Of files that were read for the first time (`fresh`)
/// nothing is remembered: there everything that differs from the draft is a person's.
///
/// Gives what a person left out of fresh files.
pub(super) fn claim(whole: &mut Whole, draft: &Tree, fresh: &BTreeSet<FileKey>) -> BTreeSet<String> {
    let Whole { tree, tiles } = whole;
    let mut left_out = BTreeSet::new();
    for (file, root) in &tree.files {
        if is_as_drafted(root, draft.files.get(file), tiles) {
            continue;
        }
        let mut claim = Claim { tiles, fresh: fresh.contains(file) };
        let element = Element::file(file.clone());
        claim.node(&element, root, *shape_of(file), draft.files.get(file));
        if let Some(draft) = draft.files.get(file).filter(|_| fresh.contains(file)) {
            missing(&element, draft, root, &mut left_out);
        }
    }
    left_out
}

/// What is in one tree and not in another, each as a whole.
pub(super) fn missing(element: &Element, of: &Node, from: &Node, out: &mut BTreeSet<String>) {
    for entry in of.entries() {
        let inner = element.key(&entry.key);
        match from.get(&entry.key) {
            Some(there) => missing(&inner, &entry.node, there, out),
            None => {
                out.insert(inner.encode());
            }
        }
    }
    let is_rows = of.items().iter().any(|i| !i.entries().is_empty());
    let there = Members::of(Some(from));
    for member in of.items() {
        let key = member_key(member);
        let inner = element.member(&key);
        match there.get(&key) {
            Some(there) if is_rows => missing(&inner, member, there, out),
            Some(_) => {}
            None => {
                out.insert(inner.encode());
            }
        }
    }
}

struct Claim<'a> {
    tiles: &'a mut Vec<Tile>,
    fresh: bool,
}

impl Claim<'_> {
    fn tile(&mut self, node: &Node) -> Option<&mut Tile> {
        self.tiles.get_mut(node.tile as usize).filter(|_| node.tile != 0)
    }

    fn node(&mut self, element: &Element, node: &Node, shape: Shape, draft: Option<&Node>) {
        let fresh = self.fresh;
        match shape {
            Shape::Record(_) | Shape::Named(_) | Shape::ByField(_) => {
                if let Some(tile) = self.tile(node) {
                    tile.own = draft.is_none() && (fresh || tile.own);
                }
                for entry in node.entries() {
                    if let Some(inner) = shape.child(&entry.key) {
                        self.node(&element.key(&entry.key), &entry.node, *inner, draft.and_then(|d| d.get(&entry.key)));
                    }
                }
            }
            Shape::Set(_) | Shape::Records { .. } => self.array(element, node, shape, draft),
            _ => {
                let default = default_of(element, shape);
                let full = |node: Option<&Node>| node.cloned().or_else(|| default.clone());
                let equal = full(Some(node)) == full(draft);
                if let Some(tile) = self.tile(node) {
                    tile.own = if fresh { !equal } else { tile.own && !(tile.touched && equal) };
                }
            }
        }
    }

    fn array(&mut self, element: &Element, node: &Node, shape: Shape, draft: Option<&Node>) {
        let fresh = self.fresh;
        let (there, drafted) = (keys(Some(node)), keys(draft));
        let Some(tile) = self.tile(node) else { return };
        tile.own = false;
        if fresh {
            tile.laid = there != drafted;
        } else if there == drafted {
            tile.laid = false;
        }
        let drafted = Members::of(draft);
        for member in node.items() {
            let key = member_key(member);
            let own_draft = drafted.get(&key);
            match shape {
                Shape::Records { keys: record, .. } => {
                    if let Some(tile) = self.tile(member) {
                        tile.own = own_draft.is_none() && (fresh || tile.own);
                    }
                    for entry in member.entries() {
                        if let Some(inner) = record.iter().find(|k| k.name == entry.key) {
                            let draft = own_draft.and_then(|d| d.get(&entry.key));
                            self.node(&element.member(&key).key(&entry.key), &entry.node, inner.shape, draft);
                        }
                    }
                }
                _ => {
                    let equal = own_draft == Some(member);
                    if let Some(tile) = self.tile(member) {
                        tile.own = if fresh { !equal } else { tile.own && !(tile.touched && equal) };
                    }
                }
            }
        }
    }
}

/// Fields that people gave another name: entity, old name, new name. A field is known by its columns.
pub fn renamed_by_hand(before: &Tree, after: &Tree) -> Vec<(String, String, String)> {
    let (old, new) = (EntityIndex::of(before), EntityIndex::of(after));
    let mut renamed = Vec::new();
    for (entity, known) in &old.entities {
        let Some(now) = new.entities.get(entity) else { continue };
        let gone = known.fields.iter().filter(|(field, own)| !now.fields.contains_key(*field) && !own.columns.is_empty());
        for (field, own) in gone {
            let same = |(name, other): &(&String, &KnownField)| !known.fields.contains_key(*name) && other.columns == own.columns;
            renamed.extend(now.fields.iter().find(same).map(|(name, _)| (entity.clone(), field.clone(), name.clone())));
        }
    }
    renamed
}

/// What stood in a definition and doesn't any more, each element as a whole, as [`Element::encode`] writes it.
pub fn deleted_from(before: &Tree, after: &Tree) -> BTreeSet<String> {
    let mut out = BTreeSet::new();
    for (file, root) in &before.files {
        if let Some(now) = after.files.get(file) {
            missing(&Element::file(file.clone()), root, now, &mut out);
        }
    }
    out
}
