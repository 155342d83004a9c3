//! Step 3: access never widens. What comes in and wasn't seen before goes into the `hide` of every role that is restricted by
//! field, and of remote clients.

use super::tile::Tile;
use super::walk::enter_key;
use super::whole::{Whole, keys, numbered};
use crate::definition::{EntityIndex, FileKey, KnownEntity, Node, Tree, Value};
use crate::name;
use std::collections::{BTreeMap, BTreeSet};

/// Who is restricted by field in an entity: the path of the table that has the restriction, within the file.
fn restricted(root: &Node) -> Vec<Vec<String>> {
    let mut all = Vec::new();
    if root.get("outward").is_some() {
        all.push(vec!["outward".to_owned()]);
    }
    for role in root.get("access").map(Node::entries).unwrap_or_default() {
        if ["hide", "read_only"].iter().any(|k| role.node.get(k).is_some()) {
            all.push(vec!["access".to_owned(), role.key.clone()]);
        }
    }
    all
}

/// Whether a person says something of a field: that it is hidden, or only to be seen.
fn says(field: &Node, key: &str, tiles: &[Tile]) -> bool {
    let is_own = |node: &Node| tiles.get(node.tile as usize).is_some_and(|t| t.own);
    field.get(key).is_some_and(|node| node.as_bool() == Some(true) && (is_own(node) || is_own(field)))
}

/// What is shown of the entities in which somebody, or everybody, is restricted by field.
pub(super) fn restricted_shown(whole: &Whole) -> Tree {
    let protects = |root: &Node| {
        let fields = root.get("field").map(Node::entries).unwrap_or_default();
        fields.iter().any(|field| ["hidden", "read_only"].iter().any(|key| says(&field.node, key, &whole.tiles)))
    };
    let files = whole.tree.files.iter().filter(|(_, root)| !restricted(root).is_empty() || protects(root));
    let shown = files.filter_map(|(file, root)| Some((file.clone(), super::whole::shown(root, &whole.tiles)?)));
    Tree { files: shown.collect(), ..Tree::default() }
}

/// Entities of which somebody is restricted by field.
pub(super) fn restricted_entities(tree: &Tree) -> BTreeSet<String> {
    let by_role = |root: &Node| restricted(root).iter().any(|path| path.len() == 2);
    tree.entities().filter(|(_, root)| by_role(root)).map(|(entity, _)| entity.to_owned()).collect()
}

fn at_mut<'n>(node: &'n mut Node, path: &[String]) -> Option<&'n mut Node> {
    path.iter().try_fold(node, |node, key| match &mut node.value {
        Value::Table(entries) => entries.iter_mut().find(|e| e.key == *key).map(|e| &mut e.node),
        _ => None,
    })
}

/// Columns of fields by what a person lets be done with them.
#[derive(Default)]
struct Before {
    /// Of all fields.
    held: BTreeSet<String>,
    /// Of those that are shown, and shown to somebody where this is about one.
    seen: BTreeSet<String>,
    /// Of those that may be changed besides.
    written: BTreeSet<String>,
}

impl Before {
    /// `of` is the table that restricts somebody; the file itself where it is about everybody.
    fn of(root: Option<&Node>, known: Option<&KnownEntity>, of: &[String], tiles: &[Tile]) -> Before {
        let (Some(root), Some(known)) = (root, known) else { return Before::default() };
        let restricted = of.iter().try_fold(root, |node, key| node.get(key)).filter(|_| !of.is_empty());
        let listed = |list: &str| restricted.and_then(|table| table.get(list)).map(Node::strings).unwrap_or_default();
        let (hide, read_only) = (listed("hide"), listed("read_only"));
        let of_field = |field: &str| root.get("field").and_then(|f| f.get(field));
        let is_hidden = |field: &str| of_field(field).and_then(|f| f.get("hidden")?.as_bool()) == Some(true);
        let is_fixed = |field: &str| of_field(field).is_some_and(|f| says(f, "read_only", tiles));
        let is_seen = |field: &String| !is_hidden(field) && !hide.contains(field);
        let is_written = |field: &String| !is_fixed(field) && !read_only.contains(field);
        let columns = |is: &dyn Fn(&String) -> bool| {
            known.fields.iter().filter(|(field, _)| is(field)).flat_map(|(_, f)| f.columns.iter().map(|c| name::fold(c))).collect()
        };
        Before { held: columns(&|_| true), seen: columns(&is_seen), written: columns(&|field| is_seen(field) && is_written(field)) }
    }
}

/// Hides fields that came in from whoever is restricted and didn't see all their columns before, and leaves those that only saw them
/// with that. A column that everybody only saw, or that was hidden, isn't more by a field of its own. `before` is what was shown, under
/// the names now.
pub(super) fn narrow(whole: &mut Whole, before: &Tree, new_fields: &BTreeMap<String, Vec<String>>) {
    if new_fields.is_empty() {
        return;
    }
    let (index, index_before) = (EntityIndex::of(&whole.tree), EntityIndex::of(before));
    let Whole { tree, tiles } = whole;
    for (entity, fields) in new_fields {
        let Some(root) = tree.files.get_mut(&FileKey::Entity(entity.clone())) else { continue };
        let known_before = index_before.entities.get(entity).map(|known| &**known);
        let columns = |field: &String| -> Vec<String> {
            let own = index.entities.get(entity).and_then(|e| e.fields.get(field));
            own.map(|own| own.columns.iter().map(|c| name::fold(c)).collect()).unwrap_or_default()
        };
        for of in restricted(root) {
            let was = Before::of(before.entity(entity), known_before, &of, tiles);
            for field in fields {
                let columns = columns(field);
                if columns.is_empty() && index.entities.get(entity).is_none_or(|e| !e.fields.contains_key(field)) {
                    continue;
                }
                if columns.is_empty() || columns.iter().any(|c| !was.seen.contains(c)) {
                    list(root, &of, "hide", field, tiles, "new, and this role is restricted by field");
                } else if of.len() == 2 && columns.iter().any(|c| !was.written.contains(c)) {
                    list(root, &of, "read_only", field, tiles, "this role only saw what is in it");
                }
            }
        }
        let was = Before::of(before.entity(entity), known_before, &[], tiles);
        for field in fields {
            let columns = columns(field);
            if columns.is_empty() || columns.iter().any(|c| !was.held.contains(c)) {
                continue;
            }
            if columns.iter().any(|c| !was.seen.contains(c)) {
                protect(root, field, "hidden", tiles, "what is in it was hidden");
            } else if columns.iter().any(|c| !was.written.contains(c)) {
                protect(root, field, "read_only", tiles, "what is in it was only to be seen");
            }
        }
    }
}

/// Says of a field that it is hidden, or only to be seen.
fn protect(root: &mut Node, field: &str, key: &str, tiles: &mut Vec<Tile>, because: &str) {
    let Some(table) = at_mut(root, &["field".to_owned(), field.to_owned()]) else { return };
    if table.get(key).is_none() {
        let order = ["column", "columns", "kind", "lookup", "label", "hidden", "read_only", "required"];
        let around = order.iter().fold(Node::table(), |table, key| table.with(key, Node::table()));
        enter_key(table, key, numbered(Node::new(Value::Bool(true)), tiles, because), Some(&around));
    }
}

/// A role that a person restricted since the last merge sees no more of what is hidden at the moment than of what is new.
pub(super) fn restrict(whole: &mut Whole) {
    let Whole { tree, tiles } = whole;
    let concerned: Vec<FileKey> = tree
        .files
        .iter()
        .filter(|(file, root)| matches!(file, FileKey::Entity(_)) && !restricted(root).is_empty())
        .map(|(file, _)| file.clone())
        .collect();
    for file in concerned {
        let Some(root) = tree.files.get_mut(&file) else { continue };
        for of in restricted(root) {
            let Some(table) = at_mut(root, &of) else { continue };
            let lists: Vec<&Node> = match of.len() {
                1 => vec![&*table],
                _ => ["hide", "read_only"].iter().filter_map(|k| table.get(k)).collect(),
            };
            let is_new = |node: &&Node| tiles.get(node.tile as usize).is_some_and(|t| t.touched);
            if !lists.iter().all(is_new) {
                continue;
            }
            let fields = root.get("field").map(Node::entries).unwrap_or_default();
            let away: Vec<String> =
                fields.iter().filter(|f| tiles.get(f.node.tile as usize).is_some_and(|t| t.was_hidden)).map(|f| f.key.clone()).collect();
            for field in away {
                list(root, &of, "hide", &field, tiles, "back, and this role was restricted since");
            }
        }
    }
}

/// Adds a field to a list of what restricts somebody: `hide` or `read_only`.
fn list(root: &mut Node, of: &[String], key: &str, field: &str, tiles: &mut Vec<Tile>, because: &str) {
    let Some(table) = at_mut(root, of) else { return };
    let list = match &mut table.value {
        Value::Table(entries) => entries.iter_mut().find(|e| e.key == key).map(|e| &mut e.node),
        _ => None,
    };
    match list {
        Some(list) if keys(Some(list)).iter().any(|f| f == field) => {}
        Some(list) => {
            if let Value::List(items) = &mut list.value {
                items.push(numbered(Node::text(field), tiles, because));
            }
        }
        None => {
            let list = numbered(Node::texts(&[field]), tiles, because);
            let order = ["name", "fields", "read", "add", "edit", "delete", "rows", "hide", "read_only", "pages"];
            let around = order.iter().fold(Node::table(), |table, key| table.with(key, Node::table()));
            enter_key(table, key, list, Some(&around));
        }
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn a_merge_never_gives_anybody_more() {
        crate::testkit::merge_as_said(
            r#"
# The same values by another way: what is hidden there is hidden here.
given keeper/access.guest.hide = ["last_name"]
after keeper.last_name -> family_name
then keeper/access.guest.hide = ["last_name"]

# A new column, where a role is restricted by field.
after keeper + shoe_size integer
then keeper/access.guest.hide = ["phone", "shoe_size"]

# A lookup of two columns falls apart: who only saw it only sees them.
before shelf: room integer required; number integer required; name text(20); key room number
before box: id integer key numbered; room integer; number integer; note text(20); reference room number -> shelf room number
given box/access.guest = { read = true, edit = true, read_only = ["shelf"] }
after drop shelf
then box/field.room.column = "room"
then box/access.guest.read_only = ["room", "number"]

# Nor is it more for everybody.
before shelf: room integer required; number integer required; name text(20); key room number
before box: id integer key numbered; room integer; number integer; note text(20); reference room number -> shelf room number
given box/field.shelf.read_only = true
after drop box.number
then box/field.room.read_only = true

# Where nothing is restricted, nothing is.
given keeper/access.guest gone
after keeper + shoe_size integer
then keeper/access.guest gone
then keeper/field.shoe_size.column = "shoe_size"
"#,
        );
    }
}
