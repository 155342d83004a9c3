//! Fields that follow their column's name (`field_names = "follow"`): mentions like any other, in what is hidden too.
//!
//! A field goes back to its old name when its column does; one that a person named otherwise than its column never follows.

use super::tile::Tile;
use super::whole::Whole;
use crate::definition::{EntityIndex, FileKey, Node, Referent, Seg, Value, each_reference};
use crate::draft::{field_label, wanted_name};
use crate::merge::{Element, Step};
use crate::name::{self, same};
use crate::rename::{RenameMap, without_gone};
use crate::schema::Schema;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

/// What a field's name does when its column is renamed.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FieldNaming {
    /// It stays.
    #[default]
    Keep,
    /// It follows, where it is the name that the generator gave it and the new one is free.
    Follow,
}

/// Keys that are names of fields, by their places, with the names they get.
type Keys = Vec<(Vec<Seg>, String)>;

/// New names by entity and field.
pub(super) type NewNames = BTreeMap<(String, String), String>;

/// Renames the fields whose columns have other names now, and tells which. `before` and `after` are the schemas with all that
/// is lost, by the names before and now.
pub(super) fn follow(whole: &mut Whole, (before, after): (&Schema, &Schema), names: &RenameMap) -> NewNames {
    let mut new = NewNames::new();
    let index = EntityIndex::of(&whole.tree);
    let mut stacks: BTreeMap<(String, String), Vec<(String, String)>> = BTreeMap::new();
    for (old_table, from, to) in names.column_renames().filter(|(_, _, to)| without_gone(to) == *to) {
        let from = without_gone(from);
        let table = names.table(old_table);
        let (Some(was), Some(now)) = (before.table(old_table), after.table(table)) else { continue };
        for (entity, known) in index.of_table(table) {
            for (field, own) in &known.fields {
                if own.through.is_some() || !matches!(own.columns.as_slice(), [column] if same(column, to)) {
                    continue;
                }
                let Some(node) = whole.tree.entity(entity).and_then(|e| e.get("field")?.get(field)) else { continue };
                let mut stack = whole.tile(node).map(|t| t.followed.clone()).unwrap_or_default();
                let is_lookup = own.target.is_some();
                let wanted = match stack.iter().position(|(column, _)| same(column, to)) {
                    // Its column has a name again that it had before.
                    Some(at) => {
                        let name = stack.get(at).map(|(_, f)| f.clone()).unwrap_or_default();
                        stack.truncate(at);
                        name
                    }
                    None if *field == wanted_name(was, from, is_lookup) => {
                        stack.push((from.to_owned(), field.clone()));
                        wanted_name(now, to, is_lookup)
                    }
                    None => continue,
                };
                if wanted != *field {
                    new.insert((entity.to_owned(), field.clone()), wanted);
                }
                stacks.insert((entity.to_owned(), field.clone()), stack);
            }
        }
    }
    // What took a name meanwhile, and is hidden, gives it up to the one that has it again.
    for ((entity, _), wanted) in new.clone() {
        let key = (entity.clone(), wanted.clone());
        let Some(known) = index.entities.get(&entity) else { continue };
        let hidden =
            whole.tree.entity(&entity).and_then(|e| e.get("field")?.get(&wanted)).and_then(|n| whole.tile(n)).filter(|t| t.was_hidden);
        let (Some(hidden), Some(own), false) = (hidden, known.fields.get(&wanted), new.contains_key(&key)) else { continue };
        let is_free = |name: &String| !known.fields.contains_key(name) && !new.iter().any(|((e, _), to)| *e == entity && to == name);
        let Some(other) = (2..).map(|n| format!("{wanted}_{n}")).find(is_free) else { continue };
        let mut stack = hidden.followed.clone();
        if let [column] = own.columns.as_slice() {
            stack.push((without_gone(column).to_owned(), wanted.clone()));
        }
        stacks.insert(key.clone(), stack);
        new.insert(key, other);
    }
    // A name that another field has, and keeps, stays that one's.
    loop {
        let taken = |entity: &str, wanted: &str, new: &NewNames| {
            let has = index.entities.get(entity).is_some_and(|e| e.fields.contains_key(wanted));
            has && !new.contains_key(&(entity.to_owned(), wanted.to_owned()))
        };
        let mut seen = BTreeSet::new();
        let twice = |(entity, _): &(String, String), wanted: &String, seen: &mut BTreeSet<(String, String)>| {
            !seen.insert((entity.clone(), wanted.clone()))
        };
        let bad = new.iter().find(|(of, wanted)| taken(&of.0, wanted, &new) || twice(of, wanted, &mut seen)).map(|(of, _)| of.clone());
        let Some(bad) = bad else { break };
        new.remove(&bad);
        stacks.remove(&bad);
    }
    for ((entity, field), stack) in stacks {
        let node = whole.tree.entity(&entity).and_then(|e| e.get("field")?.get(&field)).map(|n| n.tile as usize);
        if let Some(tile) = node.and_then(|at| whole.tiles.get_mut(at)) {
            tile.followed = stack;
        }
    }
    if !new.is_empty() {
        labels(whole, &new);
        rename(whole, &index, &new, after);
    }
    new
}

/// A rename changes no label: one that the field's new name says by itself isn't shown beside it, and one that it doesn't say is.
/// A label that isn't there yet comes in with the draft.
fn labels(whole: &mut Whole, new: &NewNames) {
    for ((entity, field), to) in new {
        let label = whole.tree.files.get_mut(&FileKey::Entity(entity.clone()));
        let label = label.and_then(|root| root.at_path_mut(&["field".into(), Seg::Key(field.clone()), "label".into()]));
        let Some(label) = label else { continue };
        let Some(tile) = whole.tiles.get_mut(label.tile as usize).filter(|t| !t.own) else { continue };
        let said = if tile.away { field_label(field) } else { label.as_text().unwrap_or_default().to_owned() };
        tile.away = said == field_label(to);
        tile.forget_departure();
        if !tile.away {
            label.value = Value::Text(said);
        }
    }
}

/// What is hidden says a field's new name too where a person gave it one.
pub(super) fn rename_by_hand(whole: &mut Whole, renamed: &[(String, String, String)], schema: &Schema) {
    if renamed.is_empty() {
        return;
    }
    let new: NewNames = renamed.iter().map(|(entity, from, to)| ((entity.clone(), from.clone()), to.clone())).collect();
    let index = EntityIndex::of(&whole.tree);
    rename(whole, &index, &new, schema);
}

/// What is hidden says the name under which a hidden field waits since a person gave its own to something else.
pub(super) fn set_apart(whole: &mut Whole, renamed: &[(String, String, String)], schema: &Schema) {
    if renamed.is_empty() {
        return;
    }
    let new: NewNames = renamed.iter().map(|(entity, from, to)| ((entity.clone(), from.clone()), to.clone())).collect();
    let index = EntityIndex::of(&whole.tree);
    mentions(whole, &index, &new, schema, "its name is another field's", &|tile| tile.was_hidden || tile.stand_in.is_some());
}

fn rename(whole: &mut Whole, index: &EntityIndex, new: &NewNames, schema: &Schema) {
    let all: BTreeSet<String> =
        new.iter().map(|((_, from), to)| name::shown(&format!("field {from} is {to} now, as its column"))).collect();
    let because = if all.len() == 1 { all.into_iter().next().unwrap_or_default() } else { "fields follow their columns".to_owned() };
    let keys = mentions(whole, index, new, schema, &because, &|_| true);
    let Whole { tree, tiles } = whole;
    for (file, mut keys) in keys {
        let Some(root) = tree.files.get_mut(&file) else { continue };
        if let FileKey::Entity(entity) = &file {
            for field in root.get("field").map(Node::entries).unwrap_or_default() {
                if let Some(to) = new.get(&(entity.clone(), field.key.clone())) {
                    keys.push((vec!["field".into(), Seg::Key(field.key.clone())], to.clone()));
                }
            }
        }
        // All at once: one field may take the name that another gives up.
        let mut renames: Vec<(Vec<Seg>, usize, String)> = Vec::new();
        for (path, to) in keys {
            let Some((Seg::Key(old), table)) = path.split_last() else { continue };
            let Some(Value::Table(entries)) = root.at_path(table).map(|n| &n.value) else { continue };
            if let Some(at) = entries.iter().position(|e| e.key == *old) {
                renames.push((table.to_vec(), at, to));
            }
        }
        for (table, at, to) in renames {
            let Some(Value::Table(entries)) = root.at_path_mut(&table).map(|n| &mut n.value) else { continue };
            if let Some(entry) = entries.get_mut(at) {
                if let Some(said) = tiles.get_mut(entry.node.tile as usize).and_then(|t| t.remembered()?.at.as_mut()) {
                    relabel(said, &entry.key, &to);
                }
                entry.key = to;
                if let Some(tile) = tiles.get_mut(entry.node.tile as usize) {
                    tile.because.clone_from(&because);
                }
            }
        }
    }
}

/// Renames the mentions of fields in texts, of those elements that `which` tells by their tiles, and in what drafts said. Gives the keys
/// that are such mentions, by file.
fn mentions(
    whole: &mut Whole,
    index: &EntityIndex,
    new: &NewNames,
    schema: &Schema,
    because: &str,
    which: &dyn Fn(&Tile) -> bool,
) -> Vec<(FileKey, Keys)> {
    let nothing = Schema::new(schema.engine, Vec::new());
    let Whole { tree, tiles } = whole;
    let mut of_files = Vec::new();
    for (file, root) in tree.files.iter_mut() {
        let mut texts: BTreeMap<Vec<Seg>, crate::definition::Pieces> = BTreeMap::new();
        let mut keys: Vec<(Vec<Seg>, String)> = Vec::new();
        // What SQL says of tables and columns is asked of nobody here.
        each_reference(file, root, index, &nothing, &mut |path, at, in_key, referent| {
            let Referent::Field { entity, field } = referent else { return };
            let Some(to) = new.get(&(entity, field)) else { return };
            match in_key {
                true => keys.push((path.to_vec(), to.clone())),
                false => texts.entry(path.to_vec()).or_default().push((at, to.clone())),
            }
        });
        for (path, mut pieces) in texts {
            pieces.sort_by_key(|(at, _)| at.start);
            pieces.dedup();
            let Some(node) = root.at_path_mut(&path) else { continue };
            let Some(tile) = tiles.get_mut(node.tile as usize).filter(|tile| which(tile)) else { continue };
            let Value::Text(text) = &mut node.value else { continue };
            pieces.iter().rev().for_each(|(at, to)| text.replace_range(at.clone(), to));
            because.clone_into(&mut tile.because);
        }
        in_drafts(root, "", file.name(), tiles, new);
        of_files.push((file.clone(), keys));
    }
    of_files
}

/// What the draft said of what has left speaks of fields too: of the file's own entity, in a child list of the entity there.
fn in_drafts(node: &Node, key: &str, entity: &str, tiles: &mut [Tile], new: &NewNames) {
    let entity = listed(node).unwrap_or(entity);
    if let Some(memory) = tiles.get_mut(node.tile as usize).and_then(Tile::remembered) {
        let faces = memory.faces.iter_mut().flat_map(|(draft, was)| draft.iter_mut().chain([was]));
        memory.at.iter_mut().chain(faces).for_each(|said| in_draft(said, key, entity, new));
    }
    node.items().iter().for_each(|item| in_drafts(item, key, entity, tiles, new));
    node.entries().iter().for_each(|e| in_drafts(&e.node, &e.key, entity, tiles, new));
}

/// A drafted field says its label where that isn't its name's words: under another name it does, or does no more.
fn relabel(field: &mut Node, from: &str, to: &str) {
    let label = field.get("label").and_then(Node::as_text).map_or_else(|| field_label(from), str::to_owned);
    if label == field_label(to) {
        field.unset("label");
    } else {
        field.set("label", Node::text(label));
    }
}

/// The entity of a child list.
fn listed(node: &Node) -> Option<&str> {
    node.get("by").and_then(|_| node.get("entity")?.as_text())
}

fn in_draft(node: &mut Node, key: &str, entity: &str, new: &NewNames) {
    let entity = &listed(node).unwrap_or(entity).to_owned();
    let to = |field: &str| new.get(&(entity.clone(), field.to_owned()));
    match &mut node.value {
        Value::Text(text) => {
            let (minus, name) = text.strip_prefix('-').map_or(("", text.as_str()), |name| ("-", name));
            if let Some(to) = to(name).filter(|_| ["fields", "search", "filter", "sort", "group", "by"].contains(&key)) {
                *text = format!("{minus}{to}");
            } else if key == "title" {
                let pieces: Vec<(std::ops::Range<usize>, &String)> =
                    crate::sql::parse_template(text).fields().filter_map(|(field, at, _)| Some((at, to(field)?))).collect();
                pieces.into_iter().rev().for_each(|(at, to)| text.replace_range(at, to));
            }
        }
        Value::List(items) => items.iter_mut().for_each(|item| in_draft(item, key, entity, new)),
        Value::Table(entries) => {
            for entry in entries {
                if key == "field"
                    && let Some(to) = to(&entry.key)
                {
                    relabel(&mut entry.node, &entry.key, to);
                    entry.key.clone_from(to);
                }
                let inner = entry.key.clone();
                in_draft(&mut entry.node, &inner, entity, new);
            }
        }
        _ => {}
    }
}

/// An element under the names that its fields have now.
pub(super) fn renamed(encoded: &str, new: &NewNames) -> String {
    let mut element = Element::decode(encoded);
    let own = element.file.name().to_owned();
    let to = |entity: &str, field: &str| new.get(&(entity.to_owned(), field.to_owned()));
    let is_field = element.key_at(0) == Some("field");
    // Within a child list, fields are those of the entity there: `visit by keeper`.
    let mut listed: Option<String> = None;
    for (at, step) in element.steps.iter_mut().enumerate() {
        let entity = listed.clone().unwrap_or_else(|| own.clone());
        match step {
            Step::Key(key) if at == 1 && is_field => key.clone_from(to(&own, key).unwrap_or(&key.clone())),
            Step::Member(member) => match member.split_once(" by ").map(|(entity, by)| (entity.to_owned(), by.to_owned())) {
                Some((of, by)) => {
                    *member = format!("{of} by {}", to(&of, &by).unwrap_or(&by));
                    listed = Some(of);
                }
                None => member.clone_from(to(&entity, member).unwrap_or(&member.clone())),
            },
            Step::Key(_) => {}
        }
    }
    element.encode()
}

#[cfg(test)]
mod tests {
    use super::{NewNames, renamed};

    #[test]
    fn what_was_left_out_follows_the_fields_that_it_names() {
        let name = |entity: &str, from: &str, to: &str| ((entity.to_owned(), from.to_owned()), to.to_owned());
        let new = NewNames::from([name("keeper", "phone", "mobile"), name("visit", "note", "remark"), name("visit", "keeper", "owner")]);
        for (before, after) in [
            ("keeper/field/phone/label", "keeper/field/mobile/label"),
            ("keeper/page/list/fields/=phone", "keeper/page/list/fields/=mobile"),
            // A child list names fields of the entity there, and is known by one of them.
            ("keeper/page/detail/children/=visit by keeper/fields/=note", "keeper/page/detail/children/=visit by owner/fields/=remark"),
            ("keeper/page/detail/children/=visit by keeper/fields/=phone", "keeper/page/detail/children/=visit by owner/fields/=phone"),
            // A page may be called as a field.
            ("keeper/page/phone/fields/=last_name", "keeper/page/phone/fields/=last_name"),
            ("region/field/phone", "region/field/phone"),
        ] {
            assert_eq!(renamed(before, &new), after);
        }
    }
}
