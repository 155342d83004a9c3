//! One drafted entity.

use super::fields::{entity_key, fields};
use super::{Context, Note, labels, pages, titles};
use crate::definition::Node;
use crate::name;
use crate::schema::{Table, TableKind};

/// A drafted entity file and what to say about it.
pub(super) struct EntityDraft {
    pub node: Node,
    pub notes: Vec<Note>,
}

impl EntityDraft {
    pub fn of(context: &Context<'_>, table: &Table, entity: &str) -> EntityDraft {
        let own = fields(context, table, entity);
        let (title, why) = titles::title(context, table, &own, &mut Vec::new());
        let (one, many) = labels::one_and_many(&table.name, context.plan.conventions);
        let key: Vec<String> = entity_key(table);
        let read_only = table.kind == TableKind::View;
        let mut notes = Vec::new();
        let mut note = |text: String| notes.push(Note { entity: entity.to_owned(), text });
        note(format!("a record is called {title}: {why}"));
        for field in &own {
            if let Some((target, _)) = &field.target {
                note(format!("{} looks up {target}, by the foreign key over {}", field.name, field.columns.join(", ")));
            }
            if field.hidden {
                note(format!("{} is hidden: its name is among the sensitive ones ([conventions] sensitive)", field.name));
            }
        }
        if read_only {
            note(format!("a view can't be saved; its key ({}) is a guess: check it", key.join(", ")));
        }
        let mut all = Node::table();
        for field in &own {
            all.set(&field.name, field.node.clone());
        }
        let written: Vec<String> = key.iter().map(|c| name::written(c)).collect();
        let mut node = Node::table()
            .with("table", name::written(&table.name).as_str().into())
            .with("key", Node::texts(&written))
            .with("title", title.as_str().into())
            .with("label", Node::table().with("one", one.as_str().into()).with("many", many.as_str().into()))
            .with_some("read_only", read_only.then(|| true.into()))
            .with("field", all)
            .with("page", pages::pages(&own, &title, &one, read_only, context.plan.conventions.list_fields));
        if let Some(role) = context.plan.open_to {
            let mut access = Node::table().with("read", true.into());
            if !read_only {
                for action in ["add", "edit", "delete"] {
                    access.set(action, true.into());
                }
            }
            node.set("access", Node::table().with(role, access));
        }
        EntityDraft { node, notes }
    }
}
