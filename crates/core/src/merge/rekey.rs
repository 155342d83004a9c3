//! Step 1: every mention takes the name that its table or column has now, in what is hidden too, by its own characters only.

use super::whole::{Whole, element};
use crate::definition::{FileKey, Index, Node, Reference, Referent, Seg, Shape, Value, at_path, references_in};
use crate::merge::Element;
use crate::name;
use crate::rename::{RenameMap, without_gone};
use crate::schema::Schema;
use crate::sql;
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// Replacements in one value: bytes and new text, in order.
pub(super) type Pieces = Vec<(Range<usize>, String)>;

/// Carries renames through. Returns the elements whose SQL can't be analysed with certainty although it may name something
/// renamed: they stay as they are. `all` is the schema before, with everything that is lost.
pub(super) fn rekey(whole: &mut Whole, all: &Schema, names: &RenameMap) -> Vec<Element> {
    let mut doubtful = Vec::new();
    if names.is_empty() {
        return doubtful;
    }
    let index = Index::of(&whole.tree);
    let because = because(names);
    // The names that the way back writes of itself.
    let exact: BTreeSet<&str> =
        names.table_renames().map(|(from, _)| from).chain(names.column_renames().map(|(_, from, _)| from)).collect();
    let Whole { tree, tiles } = whole;
    for (file, root) in &mut tree.files {
        let mut by_value: BTreeMap<Vec<Seg>, Vec<Reference>> = BTreeMap::new();
        for reference in references_in(file, root, &index, all) {
            by_value.entry(reference.path.clone()).or_default().push(reference);
        }
        let mut edits: Vec<(Vec<Seg>, Pieces)> = Vec::new();
        for (path, references) in by_value {
            let Some(text) = root.at_path(&path).and_then(Node::as_text) else { continue };
            match pieces(file, &path, text, &references, &index, all, names) {
                Some(pieces) if !pieces.is_empty() => edits.push((path, pieces)),
                Some(_) => {}
                None => doubtful.push(element(file, root, &path)),
            }
        }
        for (path, pieces) in edits {
            let Some(node) = root.at_path_mut(&path) else { continue };
            let Some(tile) = tiles.get_mut(node.tile as usize) else { continue };
            let Value::Text(text) = &mut node.value else { continue };
            let pieces = respelled(&mut tile.spelled, text, pieces, &exact);
            pieces.iter().rev().for_each(|(at, new)| text.replace_range(at.clone(), new));
            tile.because.clone_from(&because);
        }
    }
    doubtful
}

/// What to replace in one value. `None` where that can't be told with certainty.
fn pieces(
    file: &FileKey,
    path: &[Seg],
    text: &str,
    references: &[Reference],
    index: &Index,
    all: &Schema,
    names: &RenameMap,
) -> Option<Pieces> {
    let (shape, ..) = at_path(file, path)?;
    let scope = match shape {
        Shape::Condition { of_target } => {
            let entity = match (of_target, path) {
                (true, [_, Seg::Key(field), ..]) => index.target(file.name(), field)?,
                _ => file.name(),
            };
            Some(index.entities.get(entity)?.scope())
        }
        Shape::Statement => Some(sql::Scope::Statement { table: index.table(file.name())? }),
        _ => None,
    };
    if let Some(scope) = scope {
        return sql::rename_in(text, scope, all, names);
    }
    let mut pieces = Vec::new();
    for reference in references.iter().filter(|r| !r.in_key) {
        let (old, new) = match &reference.to {
            Referent::Table(table) => (table.as_str(), names.table(table)),
            Referent::Column { table, column } => (column.as_str(), names.column(table, column)),
            _ => continue,
        };
        if old != new {
            pieces.push((reference.at.clone(), name::written(new)));
        }
    }
    Some(pieces)
}

/// Uses the spelling a name had before, where it is known, and remembers one that the way back would lose.
fn respelled(spelled: &mut Vec<(String, String)>, text: &str, mut pieces: Pieces, exact: &BTreeSet<&str>) -> Pieces {
    let mut known = std::mem::take(spelled);
    let mut fresh: Vec<(String, String)> = Vec::new();
    for (range, new) in &mut pieces {
        let now = text.get(range.clone()).unwrap_or_default().to_owned();
        if let Some(at) = known.iter().position(|(is, was)| *is == now && name::same(&name::unquoted(was), &name::unquoted(new))) {
            *new = known.remove(at).1;
        } else if spelled_back(new, &now) != now || !exact.contains(name::unquoted(&now).as_str()) {
            fresh.push((new.clone(), now));
        }
    }
    // What is known of a name goes along with it, through any number of renames.
    for (now, _) in &mut known {
        let moved = pieces.iter().find(|(range, _)| text.get(range.clone()) == Some(now.as_str()));
        if let Some((_, new)) = moved {
            now.clone_from(new);
        }
    }
    known.extend(fresh);
    *spelled = known;
    pieces
}

/// How the way back would write the old name, given how the new one is written.
fn spelled_back(new: &str, old: &str) -> String {
    let old = name::unquoted(old);
    match new.chars().next() {
        Some('"') => name::quoted(&old),
        Some('`') => format!("`{old}`"),
        Some('[') => format!("[{old}]"),
        _ => old,
    }
}

fn because(names: &RenameMap) -> String {
    let pairs = names.table_renames().chain(names.column_renames().map(|(_, from, to)| (from, to)));
    let stays = pairs.filter(|(_, to)| without_gone(to) == *to);
    let all: Vec<String> = stays.map(|(from, to)| name::shown(&format!("{} is {to} now", without_gone(from)))).collect();
    match all.as_slice() {
        [one] => one.clone(),
        _ => "names changed in the database".to_owned(),
    }
}
