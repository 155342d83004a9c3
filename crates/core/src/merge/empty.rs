//! Step 4, from the inside out: what has hidden members and none that is shown is hidden, and what wants something it can't be
//! without is told.

use super::tile::Tile;
use super::whole::Whole;
use crate::definition::{FileKey, Node, Seg, Shape, Value, shape_of};
use std::collections::BTreeSet;

/// Elements that are shown, and what they can't be without isn't.
pub(super) fn wanting(whole: &Whole) -> BTreeSet<(FileKey, Vec<Seg>)> {
    let is_hidden = |node: &Node| whole.tile(node).is_some_and(Tile::is_hidden);
    let shows = |node: &Node, key: &str| node.get(key).is_some_and(|n| !is_hidden(n));
    let mut all = BTreeSet::new();
    for (file, root) in &whole.tree.files {
        let mut check = |group: &str, lacks: &dyn Fn(&str, &Node) -> bool| {
            for entry in root.get(group).map(Node::entries).unwrap_or_default() {
                if !is_hidden(&entry.node) && lacks(&entry.key, &entry.node) {
                    all.insert((file.clone(), vec![Seg::from(group), Seg::Key(entry.key.clone())]));
                }
            }
        };
        let has = |node: &Node, key: &str| node.get(key).is_some();
        // What a person left out is told as what it is.
        let lost = |node: &Node, key: &str| has(node, key) && !shows(node, key);
        check("export", &|_, node| lost(node, "fields"));
        check("import", &|_, node| lost(node, "key") || lost(node, "columns"));
        check("check", &|_, node| lost(node, "rule"));
        check("page", &|name, node| {
            let kind = node.get("kind").filter(|k| !is_hidden(k)).and_then(Node::as_text).unwrap_or(name);
            kind == "grouped" && lost(node, "group")
        });
        check("source", &|_, node| {
            !node.entries().is_empty()
                && ["routine", "sql"].iter().any(|k| lost(node, k))
                && !["routine", "sql"].iter().any(|k| shows(node, k))
        });
    }
    all
}

/// Arrays whose absence means more than their emptiness: they show their brackets.
const MEANT: &[&str] = &["pages", "actions", "hide", "read_only"];

/// Hides what has hidden members and none that is shown, from the inside out.
pub(super) fn empty(whole: &mut Whole) {
    let Whole { tree, tiles } = whole;
    tiles.iter_mut().for_each(|t| t.empty = false);
    for (file, root) in &tree.files {
        emptied(root, *shape_of(file), "", tiles);
    }
}

/// Whether nothing of a node is shown.
fn emptied(node: &Node, shape: Shape, key: &str, tiles: &mut Vec<Tile>) -> bool {
    let is_hidden = |tiles: &[Tile], node: &Node| tiles.get(node.tile as usize).is_some_and(Tile::is_hidden);
    let mut empty = false;
    match (&node.value, shape) {
        (Value::List(items), Shape::Set(_)) => {
            empty = !items.is_empty() && items.iter().all(|i| is_hidden(tiles, i));
        }
        (Value::List(items), Shape::Records { keys, .. }) => {
            for row in items {
                let mut row_empty = false;
                for entry in row.entries() {
                    if let Some(inner) = keys.iter().find(|k| k.name == entry.key) {
                        let gone = emptied(&entry.node, inner.shape, &entry.key, tiles);
                        row_empty |= gone && ["fields", "items"].contains(&entry.key.as_str()) && row.get("entity").is_none();
                    }
                }
                if row_empty && let Some(tile) = tiles.get_mut(row.tile as usize) {
                    tile.empty = true;
                }
            }
            empty = !items.is_empty() && items.iter().all(|i| is_hidden(tiles, i));
        }
        (Value::Table(entries), Shape::Record(_) | Shape::Named(_) | Shape::ByField(_)) => {
            for entry in entries {
                if let Some(inner) = shape.child(&entry.key) {
                    emptied(&entry.node, *inner, &entry.key, tiles);
                }
            }
            let holds_names = matches!(shape, Shape::ByField(_) | Shape::Named(Shape::Name(_)));
            empty = holds_names && !entries.is_empty() && entries.iter().all(|e| is_hidden(tiles, &e.node));
        }
        _ => {}
    }
    // A choice without choices is one still.
    let has_refused = key == "choices" && node.items().iter().any(|i| tiles.get(i.tile as usize).is_some_and(|t| t.refused));
    // What was empty before merges put something in is shown empty again.
    let is_added = |n: &Node| tiles.get(n.tile as usize).is_some_and(|t| t.added);
    let stood_empty = !is_added(node) && !node.items().is_empty() && node.items().iter().all(is_added);
    let Some(tile) = tiles.get_mut(node.tile as usize) else { return false };
    if empty && MEANT.contains(&key) && !tile.added || empty && (has_refused || stood_empty) {
        return false;
    }
    tile.empty = empty;
    if empty && tile.because.is_empty() {
        "nothing is left in it".clone_into(&mut tile.because);
    }
    empty
}

#[cfg(test)]
mod tests {
    #[test]
    fn what_would_stand_without_its_parts_goes_too() {
        crate::testkit::merge_as_said(
            r#"
# An export of nothing.
given keeper/export.all = { fields = ["phone"] }
after drop keeper.phone
then keeper/export.all gone

# An import that doesn't know its records any more.
given keeper/import.sheet = { key = ["phone"], columns = { Name = "last_name" } }
after drop keeper.phone
then keeper/import.sheet gone

# A rule of nothing.
given keeper/check.old_enough = { rule = "age > 5" }
after drop keeper.age
then keeper/check.old_enough gone

# Brackets that say something stay.
given keeper/access.guest.read_only = ["age"]
after drop keeper.age
then keeper/access.guest.read_only = []
"#,
        );
    }
}
