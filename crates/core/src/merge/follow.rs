//! Fields that follow their column's name (`field_names = "follow"`), a part of step 1.
//!
//! What is set aside names fields too. So it goes back in passing, every mention is renamed, and it is taken out again:
//! parts keep their numbers, and their bytes, places and orders speak the new names. A field goes back to its old name
//! when its column does; a field that a person named otherwise than its column never follows.

use super::edit::Editor;
use super::element::Element;
use super::memory::{Left, Memory, Part, Respelled};
use super::ownership::Marks;
use crate::definition::{FileKey, Index, Node, Reference, Referent, Seg, Tree, references_in};
use crate::draft::wanted_name;
use crate::name::{self, same};
use crate::rename::RenameMap;
use crate::schema::{Engine, Schema};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// What a field's name does when its column is renamed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FieldNames {
    /// It stays.
    #[default]
    Keep,
    /// It follows, where it is the name that the generator gave it and the new one is free.
    Follow,
}

/// A field that took its column's new name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Followed {
    /// The entity.
    pub entity: String,
    /// The column's name before.
    pub column: String,
    /// The field's name before.
    pub from: String,
    /// The field's name since.
    pub to: String,
}

/// New names by entity and field.
pub(super) type NewNames = BTreeMap<(String, String), String>;

/// Fields whose columns were renamed, and the names they take; what has to be known for the way back is remembered.
pub(super) fn following(
    (yours, stored): (&Tree, &Tree),
    (accepted, changed): (&Schema, &Schema),
    taken: &RenameMap,
    memory: &mut Memory,
) -> NewNames {
    let index = Index::of(yours);
    let mut names = NewNames::new();
    for (old_table, from, to) in taken.column_renames() {
        let table = taken.table(old_table);
        let (Some(before), Some(after)) = (accepted.table(old_table), changed.table(table)) else { continue };
        if memory.had_before(old_table, from, to) {
            continue;
        }
        for (entity, known) in index.of_table(table) {
            for (field, own) in &known.fields {
                let is_over = own.through.is_none() && matches!(own.columns.as_slice(), [column] if same(column, to));
                let is_lookup = own.target.is_some();
                let wanted = wanted_name(after, to, is_lookup);
                if is_over && *field == wanted_name(before, from, is_lookup) && is_free(entity, &wanted, yours, stored, &names) {
                    names.insert((entity.to_owned(), field.clone()), wanted.clone());
                    let (entity, column) = (entity.to_owned(), from.to_owned());
                    memory.followed.push(Followed { entity, column, from: field.clone(), to: wanted });
                }
            }
        }
    }
    names
}

/// Fields whose column has a name again that it had before they followed it. What took that name meanwhile and is set
/// aside gives it up.
pub(super) fn going_back(here: &Tree, (yours, stored): (&Tree, &Tree), memory: &mut Memory) -> NewNames {
    let mut names = NewNames::new();
    for (entity, known) in &Index::of(here).entities {
        for (field, own) in &known.fields {
            let [column] = own.columns.as_slice() else { continue };
            let mut chain: Vec<usize> = Vec::new();
            let mut name = field.as_str();
            let origin = loop {
                let last =
                    |(at, f): &(usize, &Followed)| f.entity == *entity && f.to == name && chain.last().is_none_or(|later| at < later);
                let Some((at, followed)) = memory.followed.iter().enumerate().rev().find(last) else { break None };
                chain.push(at);
                if same(&followed.column, column) {
                    break Some(followed.from.clone());
                }
                name = &followed.from;
            };
            let Some(origin) = origin.filter(|o| !known.fields.contains_key(o)) else { continue };
            if !is_free(entity, &origin, yours, stored, &names) {
                let other = (2..).map(|n| format!("{origin}_{n}")).find(|n| is_free(entity, n, yours, stored, &names));
                names.extend(other.map(|other| ((entity.clone(), origin.clone()), other)));
            }
            chain.into_iter().for_each(|at| {
                memory.followed.remove(at);
            });
            names.insert((entity.clone(), field.clone()), origin);
        }
    }
    names
}

/// Whether no field has a name, is to have it, or has it while it is set aside.
fn is_free(entity: &str, wanted: &str, yours: &Tree, stored: &Tree, names: &NewNames) -> bool {
    let has = |tree: &Tree| tree.entity(entity).and_then(|e| e.get("field")?.get(wanted)).is_some();
    !has(yours) && !has(stored) && !names.iter().any(|((of, _), to)| of == entity && to == wanted)
}

/// What else is remembered of elements.
pub(super) struct Remembered<'a> {
    pub inserted: &'a mut BTreeSet<Element>,
    pub respelled: &'a mut Vec<Respelled>,
    pub marks: &'a mut Marks,
}

/// Renames fields in a definition and the stored draft, and in all that is remembered of them.
pub(super) fn rename_fields(
    yours: &mut Editor,
    stored: &mut Editor,
    names: &NewNames,
    engine: Engine,
    remembered: &mut Remembered<'_>,
) -> Moved {
    if names.is_empty() {
        return Moved::default();
    }
    let moved = renamed(yours, names, engine);
    renamed(stored, names, engine);
    *remembered.inserted = remembered.inserted.iter().map(|e| moved.element(e)).collect();
    remembered.respelled.iter_mut().for_each(|r| r.element = moved.element(&r.element));
    *remembered.marks = std::mem::take(remembered.marks).into_iter().map(|(element, value)| moved.mark(&element, value)).collect();
    moved
}

/// Where elements are, before and after.
#[derive(Default)]
pub(super) struct Moved {
    before: Tree,
    after: Tree,
    keys: Vec<(FileKey, Vec<Seg>, String)>,
}

impl Moved {
    /// An element under its new name: by its place, else by its keys alone.
    pub fn element(&self, element: &Element) -> Element {
        let at = self.before.files.get(&element.file).and_then(|root| element.resolve(root));
        let place = at.and_then(|path| Some((self.after.files.get(&element.file)?, self.path(&element.file, &path))));
        match place {
            Some((root, path)) => Element::at(&element.file, root, &path),
            None if self.keys.is_empty() => element.clone(),
            None => self.by_keys(element),
        }
    }

    fn path(&self, file: &FileKey, path: &[Seg]) -> Vec<Seg> {
        let mut path = path.to_vec();
        let old = path.clone();
        for (_, from, to) in self.keys.iter().filter(|(of, from, _)| of == file && old.starts_with(from)) {
            if let Some(seg) = path.get_mut(from.len() - 1) {
                *seg = Seg::Key(to.clone());
            }
        }
        path
    }

    fn by_keys(&self, element: &Element) -> Element {
        let mut moved = element.clone();
        for (_, from, to) in self.keys.iter().filter(|(of, ..)| *of == element.file) {
            let names = element
                .steps
                .iter()
                .zip(from)
                .take_while(|(step, seg)| matches!((step, seg), (super::Step::Key(a), Seg::Key(b)) if a == b));
            if names.count() == from.len()
                && let Some(step) = moved.steps.get_mut(from.len() - 1)
            {
                *step = super::Step::Key(to.clone());
            }
        }
        moved
    }

    /// A mark is on a value: what it says of fields is renamed with it.
    fn mark(&self, element: &Element, value: Option<Node>) -> (Element, Option<Node>) {
        let now = self.element(element);
        let get = |tree: &Tree, element: &Element| -> Option<Node> {
            let root = tree.files.get(&element.file)?;
            root.at_path(&element.resolve(root)?).cloned()
        };
        let value = if get(&self.before, element) == value { get(&self.after, &now) } else { value };
        (now, value)
    }
}

/// Renames fields in one side.
fn renamed(editor: &mut Editor, names: &NewNames, engine: Engine) -> Moved {
    // Everything that is away goes back in passing, what left last first.
    let mut away: Vec<Part> = editor.parts.iter().filter(|p| p.left == Left::Absent).cloned().collect();
    for part in away.iter().rev() {
        if editor.parts.iter().any(|p| p.id == part.id) {
            editor.put_back(part.id, "");
        }
    }
    away.retain(|part| editor.parts.iter().all(|p| p.id != part.id));
    let before = editor.tree.clone();
    let index = Index::of(&before);
    let mut keys: Vec<(FileKey, Vec<Seg>, String)> = Vec::new();
    for (file, root) in &before.files {
        let (pieces, own) = mentions(file, root, &index, names, engine);
        for (path, pieces) in pieces {
            editor.splice(file, &path, pieces, &because(names));
        }
        for (path, to) in in_order(own) {
            editor.rename_key(file, &path, &to, &because(names));
            keys.push((file.clone(), path, to));
        }
    }
    let moved = Moved { before, after: editor.tree.clone(), keys };
    for part in &mut editor.parts {
        part.element = moved.element(&part.element);
    }
    stand_ins(editor, &index, names, engine);
    for part in away {
        editor.take_out_again(&Part { element: moved.element(&part.element), ..part });
    }
    moved
}

/// Renamed keys so that each new name is free when its turn comes.
fn in_order(mut keys: Vec<(Vec<Seg>, String)>) -> Vec<(Vec<Seg>, String)> {
    let olds: BTreeSet<Vec<Seg>> = keys.iter().map(|(path, _)| path.clone()).collect();
    let waits =
        |path: &[Seg], to: &str| path.split_last().is_some_and(|(_, table)| olds.contains(&[table, &[Seg::Key(to.to_owned())]].concat()));
    keys.sort_by_key(|(path, to)| waits(path, to));
    keys
}

/// What a stand-in stands for names fields too: it goes back, is renamed, and is replaced again.
fn stand_ins(editor: &mut Editor, index: &Index, names: &NewNames, engine: Engine) {
    let parts: Vec<Part> = editor.parts.iter().filter(|p| p.was.is_some() && matches!(p.left, Left::Value(_))).cloned().collect();
    // The index knows lookups by the names before; only what they point at is asked of it.
    let index = renamed_index(index, names);
    for part in parts {
        let (Some(was), Some(now)) = (part.was.clone(), editor.replaced(&part.element).filter(|p| p.id == part.id).map(|p| p.left.clone()))
        else {
            continue;
        };
        let Left::Value(stand_in) = now else { continue };
        let file = part.element.file.clone();
        let Some(mut root) = editor.tree.files.get(&file).cloned() else { continue };
        let Some(path) = part.element.resolve(&root) else { continue };
        if let Some(node) = root.at_path_mut(&path) {
            *node = was;
        }
        let (pieces, _) = mentions(&file, &root, &index, names, engine);
        let inside: Vec<_> = pieces.into_iter().filter(|(own, _)| own.starts_with(&path)).collect();
        if inside.is_empty() {
            continue;
        }
        editor.restore(&part.element, "");
        for (path, pieces) in inside {
            editor.splice(&file, &path, pieces, "");
        }
        editor.stand_in_again(&part, stand_in);
    }
}

/// An index in which fields are known by both their names.
fn renamed_index(index: &Index, names: &NewNames) -> Index {
    let mut both = index.clone();
    for ((entity, from), to) in names {
        if let Some(known) = both.entities.get_mut(entity)
            && let Some(field) = known.fields.get(from).cloned()
        {
            known.fields.insert(to.clone(), field);
        }
    }
    both
}

type Pieces = Vec<(Range<usize>, String)>;

/// By place of a text, what to replace in it; and keys with their new names.
type Mentions = (BTreeMap<Vec<Seg>, Pieces>, Vec<(Vec<Seg>, String)>);

/// The mentions of renamed fields in a file: in texts, with what to replace, and as keys.
fn mentions(file: &FileKey, root: &Node, index: &Index, names: &NewNames, engine: Engine) -> Mentions {
    let new = |reference: &Reference| match &reference.to {
        Referent::Field { entity, field } => names.get(&(entity.clone(), field.clone())).cloned(),
        _ => None,
    };
    let (mut texts, mut keys): Mentions = Default::default();
    // What SQL says of tables and columns is asked of nobody here.
    for reference in references_in(file, root, index, &Schema::new(engine, Vec::new())) {
        let Some(to) = new(&reference) else { continue };
        match reference.in_key {
            true => keys.push((reference.path, to)),
            false => texts.entry(reference.path).or_default().push((reference.at, to)),
        }
    }
    for pieces in texts.values_mut() {
        pieces.sort_by_key(|(at, _)| at.start);
        pieces.dedup();
    }
    for field in root.get("field").map(Node::entries).unwrap_or_default() {
        if let Some(to) = names.get(&(file.name().to_owned(), field.key.clone())) {
            keys.push((vec!["field".into(), Seg::Key(field.key.clone())], to.clone()));
        }
    }
    (texts, keys)
}

fn because(names: &NewNames) -> String {
    let all: BTreeSet<String> =
        names.iter().map(|((_, from), to)| name::shown(&format!("field {from} is {to} now, as its column"))).collect();
    match all.len() {
        1 => all.into_iter().next().unwrap_or_default(),
        _ => "fields follow their columns".to_owned(),
    }
}
