//! One drafted entity.

use super::pages::PageDraft;
use super::{Context, Drafted, Note, labels};
use crate::definition::Node;
use crate::name;
use crate::pages;
use crate::schema::TableKind;

/// A drafted entity file and what to say about it.
pub(super) struct EntityDraft {
    pub node: Node,
    pub notes: Vec<Note>,
}

impl EntityDraft {
    pub fn of(context: &Context<'_>, drafted: &Drafted<'_>) -> EntityDraft {
        let Drafted { entity, table, fields: own, key, key_is_sure, title } = drafted;
        let conventions = context.names.conventions;
        let (one, many) = labels::one_and_many(name::split_qualified(&table.name).1, conventions);
        let is_view = table.kind == TableKind::View;
        let mut notes = vec![Note::new(&["title"], "called", &title.template, title.why).by("titles")];
        notes.extend(own.iter().flat_map(|field| field.notes.iter().cloned()));
        if is_view {
            let why = if *key_is_sure { "what its query keeps apart" } else { "a guess: check it" };
            notes.push(Note::new(&["key"], "key", key.join(", "), why));
        }
        let mut all = Node::table();
        for field in own {
            all.set(&field.name, field.node.clone());
        }
        let version =
            own.iter().find(|f| f.surrogate && f.kept && f.columns.iter().any(|c| name::matches_any(&conventions.version_columns, c)));
        let written: Vec<String> = key.iter().map(|c| name::written(c)).collect();
        let mut node = Node::table()
            .with("table", name::written(&table.name).as_str().into())
            .with("key", Node::texts(&written))
            .with_some("version", version.and_then(|f| f.columns.first()).map(|c| name::written(c).as_str().into()))
            .with("title", title.template.as_str().into())
            .with("label", Node::table().with("one", one.as_str().into()).with("many", many.as_str().into()))
            .with_some("read_only", is_view.then(|| true.into()))
            .with("field", all);
        let page = PageDraft { context, entity, fields: own, title: &title.template, one: &one, many: &many, key, read_only: is_view };
        let mut drafted = Node::table();
        for kind in pages::KINDS.iter().filter(|kind| conventions.pages.iter().any(|wanted| wanted == kind.name)) {
            if let Some(page) = (kind.draft)(&page) {
                drafted.set(kind.name, page);
            }
        }
        notes.extend(page.notes(&drafted));
        notes.iter_mut().for_each(|note| note.entity.clone_from(entity));
        node.set("page", drafted);
        if let Some(role) = context.open_to {
            let mut access = Node::table().with("read", true.into());
            if !is_view {
                for action in ["add", "edit", "delete"] {
                    access.set(action, true.into());
                }
            }
            node.set("access", Node::table().with(role, access));
        }
        EntityDraft { node, notes }
    }
}
