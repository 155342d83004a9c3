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

/// What is shown of the entities in which somebody is restricted by field.
pub(super) fn restricted_shown(whole: &Whole) -> Tree {
    let files = whole.tree.files.iter().filter(|(_, root)| !restricted(root).is_empty());
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

/// Columns that somebody sees: those of fields that are shown and aren't hidden from them.
fn seen(root: Option<&Node>, known: Option<&KnownEntity>, of: &[String]) -> BTreeSet<String> {
    let (Some(root), Some(known)) = (root, known) else { return BTreeSet::new() };
    let hide = of.iter().try_fold(root, |node, key| node.get(key)).and_then(|t| t.get("hide")).map(Node::strings).unwrap_or_default();
    let is_hidden = |field: &str| {
        root.get("field").and_then(|f| f.get(field)?.get("hidden")?.as_bool()) == Some(true) || hide.iter().any(|h| h == field)
    };
    known.fields.iter().filter(|(field, _)| !is_hidden(field)).flat_map(|(_, f)| f.columns.iter().map(|c| name::fold(c))).collect()
}

/// Hides fields that came in from whoever is restricted and didn't see all their columns before. `before` is what was shown,
/// under the names now.
pub(super) fn narrow(whole: &mut Whole, before: &Tree, new_fields: &BTreeMap<String, Vec<String>>) {
    if new_fields.is_empty() {
        return;
    }
    let (index, index_before) = (EntityIndex::of(&whole.tree), EntityIndex::of(before));
    let Whole { tree, tiles } = whole;
    for (entity, fields) in new_fields {
        let Some(root) = tree.files.get_mut(&FileKey::Entity(entity.clone())) else { continue };
        for of in restricted(root) {
            let was_seen = seen(before.entity(entity), index_before.entities.get(entity).map(|known| &**known), &of);
            for field in fields {
                let Some(own) = index.entities.get(entity).and_then(|e| e.fields.get(field)) else { continue };
                let known = !own.columns.is_empty() && own.columns.iter().all(|c| was_seen.contains(&name::fold(c)));
                if !known {
                    hide(root, &of, field, tiles, "new, and this role is restricted by field");
                }
            }
        }
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
                hide(root, &of, &field, tiles, "back, and this role was restricted since");
            }
        }
    }
}

/// Adds a field to the `hide` of what is given.
fn hide(root: &mut Node, of: &[String], field: &str, tiles: &mut Vec<Tile>, because: &str) {
    let Some(table) = at_mut(root, of) else { return };
    let list = match &mut table.value {
        Value::Table(entries) => entries.iter_mut().find(|e| e.key == "hide").map(|e| &mut e.node),
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
            enter_key(table, "hide", list, Some(&around));
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

# Where nothing is restricted, nothing is.
given keeper/access.guest gone
after keeper + shoe_size integer
then keeper/access.guest gone
then keeper/field.shoe_size.column = "shoe_size"
"#,
        );
    }
}
