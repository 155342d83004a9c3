//! Step 5: access never widens. A new field goes into the `hide` of every role that is restricted by field.

use super::edit::Editor;
use super::element::Element;
use super::memory::{Fact, Gone, Left};
use super::ownership::before_in;
use crate::definition::{FileKey, Index, Node};
use crate::name;
use std::collections::{BTreeMap, BTreeSet};

/// Stands for remote clients among the roles: they see nothing new by themselves.
pub(super) const OUTWARD: &str = "";

/// Entity and role pairs that are restricted by field: `hide` or `read_only` is written, or a merge emptied and removed it.
pub(super) fn restricted(editor: &Editor) -> Vec<(String, String)> {
    let mut pairs = Vec::new();
    for (entity, root) in editor.tree.entities() {
        if root.get("outward").is_some() {
            pairs.push((entity.to_owned(), OUTWARD.to_owned()));
        }
        for role in root.get("access").map(Node::entries).unwrap_or_default() {
            let written = ["hide", "read_only"].iter().any(|k| role.node.get(k).is_some());
            let emptied = editor.parts.iter().any(|p| {
                p.left == Left::Absent
                    && p.element.file.name() == entity
                    && p.element.key_at(0) == Some("access")
                    && p.element.key_at(1) == Some(&role.key)
                    && ["hide", "read_only"].contains(&p.element.key_at(2).unwrap_or_default())
            });
            if written || emptied {
                pairs.push((entity.to_owned(), role.key.clone()));
            }
        }
    }
    pairs
}

/// Hides new fields from restricted roles, and returning ones from roles restricted since they left.
pub(super) fn narrow(editor: &mut Editor, new_fields: &BTreeMap<String, Vec<String>>, returned: &[Gone], inserted: &mut BTreeSet<Element>) {
    let index = Index::of(&editor.tree);
    for (entity, role) in restricted(editor) {
        let mut fields: Vec<(String, &str)> =
            new_fields.get(&entity).into_iter().flatten().map(|f| (f.clone(), "new, and this role is restricted by field")).collect();
        for gone in returned.iter().filter(|g| !g.restricted.contains(&(entity.clone(), role.clone()))) {
            let Some(known) = index.entities.get(&entity).filter(|e| name::same(&e.table, &gone.thing.table)) else { continue };
            let over = |columns: &[String]| gone.thing.column.as_ref().is_none_or(|c| name::contains(columns, c));
            fields.extend(
                known
                    .fields
                    .iter()
                    .filter(|(_, f)| gone.thing.column.is_some() && over(&f.columns))
                    .map(|(f, _)| (f.clone(), "back, and this role was restricted since")),
            );
        }
        for (field, because) in fields {
            let exists = editor.get(&Element::file(FileKey::Entity(entity.clone())).key("field").key(&field)).is_some();
            if exists {
                let file = Element::file(FileKey::Entity(entity.clone()));
                let of = if role == OUTWARD { file.key("outward") } else { file.key("access").key(&role) };
                hide(editor, &of, &field, because, inserted);
            }
        }
    }
}

/// Adds a field to the `hide` of what is given.
fn hide(editor: &mut Editor, of: &Element, field: &str, because: &str, inserted: &mut BTreeSet<Element>) {
    let list = of.key("hide");
    match editor.get(&list) {
        Some(node) if node.strings().iter().any(|f| f == field) => {}
        Some(node) => {
            let end = node.items().len();
            editor.insert_member(&list, end, Node::text(field), because);
        }
        None => {
            // A list the merge had added before comes back in its own place.
            let waiting = editor.removed(&list).filter(|p| p.fact == Fact::Container).map(|p| p.id);
            if let Some(id) = waiting
                && editor.put_back(id, because)
            {
                return editor.insert_member(&list, 0, Node::text(field), because);
            }
            let around = editor.get(of).cloned();
            let after = before_in(around.as_ref(), "hide");
            editor.insert(&list, Node::texts(&[field]), after, because);
            inserted.insert(list);
        }
    }
}
