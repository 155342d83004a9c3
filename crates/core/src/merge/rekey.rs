//! Step 1: every mention of a renamed table or column is carried over, by its own characters only.

use super::edit::Editor;
use super::element::Element;
use super::memory::{Memory, Respelled};
use crate::definition::{FileKey, Index, Node, Reference, Referent, Seg, Shape, at_path, references_in};
use crate::name;
use crate::rename::{RenameMap, without_gone};
use crate::schema::Schema;
use crate::sql;
use std::collections::BTreeMap;
use std::ops::Range;

/// Replacements in one value: bytes and new text, in order.
type Pieces = Vec<(Range<usize>, String)>;

/// What names mean before the renaming.
pub(super) struct Before<'a> {
    pub index: &'a Index,
    pub schema: &'a Schema,
    pub renames: &'a RenameMap,
}

/// Carries renames through one side; `within` narrows it to one element. Returns the elements whose SQL can't
/// be analysed with certainty although it may name something renamed: they stay as they are.
pub(super) fn rekey(editor: &mut Editor, before: &Before<'_>, within: Option<&Element>, respelled: &mut Vec<Respelled>) -> Vec<Element> {
    let mut doubtful = Vec::new();
    if before.renames.is_empty() {
        return doubtful;
    }
    let files: Vec<FileKey> = editor.tree.files.keys().filter(|f| within.is_none_or(|e| e.file == **f)).cloned().collect();
    for file in files {
        let Some(root) = editor.tree.files.get(&file) else { continue };
        let mut by_value: BTreeMap<Vec<Seg>, Vec<Reference>> = BTreeMap::new();
        for reference in references_in(&file, root, before.index, before.schema) {
            by_value.entry(reference.path.clone()).or_default().push(reference);
        }
        let mut edits: Vec<(Vec<Seg>, Pieces)> = Vec::new();
        for (path, references) in by_value {
            let element = Element::at(&file, root, &path);
            if within.is_some_and(|outer| !element.is_within(outer)) {
                continue;
            }
            let Some(text) = root.at_path(&path).and_then(Node::as_text) else { continue };
            match pieces(&file, &path, text, &references, before) {
                Some(pieces) if !pieces.is_empty() => edits.push((path, respell(&element, text, pieces, respelled))),
                Some(_) => {}
                None => doubtful.push(element),
            }
        }
        for (path, pieces) in edits {
            editor.splice(&file, &path, pieces, &because(before.renames));
        }
    }
    doubtful
}

/// What to replace in one value. `None` where that can't be told with certainty.
fn pieces(file: &FileKey, path: &[Seg], text: &str, references: &[Reference], before: &Before<'_>) -> Option<Vec<(Range<usize>, String)>> {
    let (shape, ..) = at_path(file, path)?;
    let scope = match shape {
        Shape::Condition { of_target } => {
            let entity = match (of_target, path) {
                (true, [_, Seg::Key(field), ..]) => before.index.target(file.name(), field)?,
                _ => file.name(),
            };
            Some(before.index.entities.get(entity)?.scope())
        }
        Shape::Statement => Some(sql::Scope::Statement { table: before.index.table(file.name())? }),
        _ => None,
    };
    if let Some(scope) = scope {
        return sql::rename_in(text, scope, before.schema, before.renames);
    }
    let mut pieces = Vec::new();
    for reference in references.iter().filter(|r| !r.in_key) {
        let (old, new) = match &reference.to {
            Referent::Table(table) => (table.as_str(), before.renames.table(table)),
            Referent::Column { table, column } => (column.as_str(), before.renames.column(table, column)),
            _ => continue,
        };
        if old != new {
            pieces.push((reference.at.clone(), name::written(new)));
        }
    }
    Some(pieces)
}

/// Uses the spelling a name had before, where it is known, and remembers one that the way back would lose.
fn respell(
    element: &Element,
    text: &str,
    mut pieces: Vec<(Range<usize>, String)>,
    respelled: &mut Vec<Respelled>,
) -> Vec<(Range<usize>, String)> {
    let known = respelled.iter().position(|r| r.element == *element);
    let mut tokens = known.and_then(|at| respelled.get(at)).map(|r| r.tokens.clone()).unwrap_or_default();
    let mut fresh: Vec<(String, String)> = Vec::new();
    for (range, new) in &mut pieces {
        let now = text.get(range.clone()).unwrap_or_default().to_owned();
        if let Some(at) = tokens.iter().position(|(is, was)| *is == now && name::unquoted(was) == name::unquoted(new)) {
            *new = tokens.remove(at).1;
        } else if spelled_back(new, &now) != now {
            fresh.push((new.clone(), now));
        }
    }
    tokens.extend(fresh);
    respelled.retain(|r| r.element != *element);
    if !tokens.is_empty() {
        respelled.push(Respelled { element: element.clone(), tokens });
    }
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

fn because(renames: &RenameMap) -> String {
    let pairs = renames.table_renames().chain(renames.column_renames().map(|(_, from, to)| (from, to)));
    let stays = pairs.filter(|(_, to)| without_gone(to) == *to);
    let all: Vec<String> = stays.map(|(from, to)| name::shown(&format!("{from} is {to} now"))).collect();
    match all.as_slice() {
        [one] => one.clone(),
        _ => "names changed in the database".to_owned(),
    }
}

/// Brings memory to the present names and carries the composed renames since it left through a part that came back.
pub(super) fn rekey_returned(
    editor: &mut Editor,
    element: &Element,
    since: usize,
    memory: &Memory,
    extra: &RenameMap,
    schema: &Schema,
    respelled: &mut Vec<Respelled>,
) {
    let renames = memory.renames_since(since).then(extra);
    if renames.is_empty() {
        return;
    }
    carried_back(editor, Some(element), &renames, schema, respelled);
}

/// Carries renames through what still has the old names, although everything around has the new ones.
pub(super) fn carried_back(
    editor: &mut Editor,
    within: Option<&Element>,
    renames: &RenameMap,
    schema: &Schema,
    respelled: &mut Vec<Respelled>,
) -> Vec<Element> {
    let back = renames.inverse();
    let index = Index::of(&editor.tree).renamed(&back);
    let before = back.applied_to(schema);
    rekey(editor, &Before { index: &index, schema: &before, renames }, within, respelled)
}
