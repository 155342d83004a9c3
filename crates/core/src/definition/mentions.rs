//! Mentions of tables and columns under other names: only a name's own characters change.

use super::references::{EntityIndex, Reference, Referent, references_in};
use super::{FileKey, Node, Seg, Shape, Tree, Value, at_path};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::Schema;
use crate::sql;
use std::collections::BTreeMap;
use std::ops::Range;

/// Replacements in one value: bytes and new text, in order.
pub type Pieces = Vec<(Range<usize>, String)>;

/// The values of a file that mention something renamed, with what to replace in each; `None` where that can't be told with
/// certainty. `all` is the schema under the names before.
pub fn renamed_mentions(
    file: &FileKey,
    root: &Node,
    index: &EntityIndex,
    all: &Schema,
    names: &RenameMap,
) -> Vec<(Vec<Seg>, Option<Pieces>)> {
    let mut by_value: BTreeMap<Vec<Seg>, Vec<Reference>> = BTreeMap::new();
    for reference in references_in(file, root, index, all) {
        by_value.entry(reference.path.clone()).or_default().push(reference);
    }
    let mut found = Vec::new();
    for (path, references) in by_value {
        let Some(text) = root.at_path(&path).and_then(Node::as_text) else { continue };
        let pieces = pieces(file, &path, text, &references, index, all, names);
        if pieces.as_ref().is_none_or(|p| !p.is_empty()) {
            found.push((path, pieces));
        }
    }
    found
}

/// Renames every mention in a definition that can be told with certainty.
pub fn rename_mentions(tree: &mut Tree, all: &Schema, names: &RenameMap) {
    let index = EntityIndex::of(tree);
    let found: Vec<_> = tree.files.iter().map(|(file, root)| (file.clone(), renamed_mentions(file, root, &index, all, names))).collect();
    for (file, mentions) in found.into_iter().filter(|(_, mentions)| !mentions.is_empty()) {
        let Some(root) = tree.files.get_mut(&file) else { continue };
        for (path, pieces) in mentions {
            let text = root.at_path_mut(&path).map(|node| &mut node.value);
            if let Some(Value::Text(text)) = text {
                pieces.into_iter().flatten().rev().for_each(|(at, new)| text.replace_range(at, &new));
            }
        }
    }
}

/// What to replace in one value. `None` where that can't be told with certainty.
fn pieces(
    file: &FileKey,
    path: &[Seg],
    text: &str,
    references: &[Reference],
    index: &EntityIndex,
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
