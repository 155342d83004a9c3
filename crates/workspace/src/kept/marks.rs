//! After the text is written: it is read again and compared with what was meant, and what is remembered and hidden goes into
//! the tiles.

use super::error::ReconcileError;
use super::tree::{BLOCKS, OWN, Place, read};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::definition::{FileKey, Node, Value};
use ysomorph_core::merge::{Tile, Whole};
use ysomorph_kept::{Id, Tiles};

/// What a tile is to be marked with.
#[derive(Default)]
struct Noted {
    /// Of a value: whether it is a person's, and laid by one.
    value: Option<(bool, bool)>,
    /// Of a header: whether its table is a person's.
    header: Option<bool>,
    notes: BTreeMap<u8, String>,
}

/// Writes what is remembered into the marks, and hides what is hidden.
pub(super) fn marked(mut tiles: Tiles, root: &Node, after: &Whole, file: &FileKey) -> Result<Tiles, ReconcileError> {
    let (now, _, places) = read(&tiles, 1, false);
    let mut pairs: Vec<(u32, u32, bool)> = Vec::new();
    pair(&now, root, after, false, &mut pairs).map_err(|path| ReconcileError::Otherwise(format!("{}{path}", file.name())))?;
    let mut hidden_nodes: BTreeSet<u32> = BTreeSet::new();
    tiles.mark.notes.clear();
    let nobody = Tile::default();
    let mut hidden: BTreeSet<Id> = BTreeSet::new();
    let mut marks: BTreeMap<Id, Noted> = BTreeMap::new();
    for (own, meant, is_hidden) in &pairs {
        let tile = after.tiles.get(*meant as usize).unwrap_or(&nobody);
        if *is_hidden {
            hidden_nodes.insert(*own);
        }
        let note = (!tile.is_plain()).then(|| serde_json::to_string(tile).unwrap_or_default());
        let (id, key) = match places.place(*own) {
            Place::Nowhere => continue,
            Place::File => {
                tiles.mark.notes.extend(note.map(|note| (OWN, note)));
                tiles.mark.own = tile.own;
                continue;
            }
            Place::Line(id) | Place::Member(id) => {
                if *is_hidden {
                    hidden.insert(id);
                }
                (id, OWN)
            }
            Place::Table(id, depth) => (id, depth),
            Place::Blocks(id, depth) => (id, BLOCKS + depth),
        };
        let noted = marks.entry(id).or_default();
        if key == OWN {
            noted.value = Some((tile.own, tile.laid));
        } else if places.lines.get(&id) == Some(own) {
            noted.header = Some(tile.own);
        }
        noted.notes.extend(note.map(|note| (key, note)));
    }
    tiles.each_mark(&mut |id, mark| {
        mark.touched = false;
        mark.notes.clear();
        let Some(noted) = marks.remove(&id) else { return };
        mark.notes = noted.notes;
        if let Some((own, laid)) = noted.value {
            (mark.own, mark.laid) = (own, laid);
        } else if let Some(own) = noted.header {
            mark.own = own;
        }
    });
    // Headers go with their table.
    for (line, node) in &places.lines {
        if hidden_nodes.contains(node) {
            hidden.insert(*line);
        }
    }
    tiles.hide_only(&hidden);
    Ok(tiles)
}

/// Pairs the nodes of a file as it reads with those it was meant to have. Where they differ, the path is told.
fn pair(now: &Node, meant: &Node, after: &Whole, around: bool, pairs: &mut Vec<(u32, u32, bool)>) -> Result<(), String> {
    let tile = after.tile(meant);
    let is_hidden = around || tile.is_some_and(Tile::is_hidden);
    pairs.push((now.tile, meant.tile, is_hidden));
    match (&now.value, &meant.value) {
        (Value::Table(own), Value::Table(entries)) => {
            for entry in entries {
                match own.iter().find(|e| e.key == entry.key) {
                    Some(found) => {
                        pair(&found.node, &entry.node, after, is_hidden, pairs).map_err(|path| format!("/{}{path}", entry.key))?;
                    }
                    // A table without anything in it needn't stand there.
                    None if entry.node.entries().is_empty() && matches!(entry.node.value, Value::Table(_)) => {}
                    None => return Err(format!("/{}", entry.key)),
                }
            }
            match own.iter().find(|e| !entries.iter().any(|m| m.key == e.key)) {
                Some(extra) => Err(format!("/{}", extra.key)),
                None => Ok(()),
            }
        }
        (Value::List(own), Value::List(items)) if own.len() == items.len() => own
            .iter()
            .zip(items)
            .try_for_each(|(own, item)| pair(own, item, after, is_hidden, pairs).map_err(|path| format!("/{}{path}", item.member_key()))),
        _ if now == meant => Ok(()),
        _ => Err(String::new()),
    }
}
