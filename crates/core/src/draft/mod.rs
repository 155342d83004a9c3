//! What the generator writes for a schema: entities, fields, lookups, labels, pages, a menu, access.
//!
//! The same schema, conventions and names give the same tree. Drafts leave defaults out. Names in use are
//! taken over, so that a field a person renamed is still the same element.

mod conventions;
mod entity;
mod fields;
mod labels;
mod names;
mod pages;
mod titles;

pub use conventions::{Conventions, LabelCase};
pub use labels::field_label;
pub use names::NamesInUse;

use crate::definition::{FileKey, Node, Seg, Tree, Value};
use crate::schema::{Schema, Table, TableKind};
use entity::EntityDraft;

/// What a draft is made from, beside the schema.
#[derive(Debug, Clone)]
pub struct Plan<'a> {
    /// How drafts are made.
    pub conventions: &'a Conventions,
    /// Entity and field names to take over.
    pub names: &'a NamesInUse,
    /// The role that may do everything; absent where the definition has none.
    pub open_to: Option<&'a str>,
    /// The application's title.
    pub title: &'a str,
}

/// Why something was drafted as it was, for `start` to say.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Note {
    /// The entity.
    pub entity: String,
    /// What and why, in a few words.
    pub text: String,
}

/// A drafted definition.
#[derive(Debug, Clone, Default)]
pub struct Draft {
    /// Its files.
    pub tree: Tree,
    /// What was guessed and why.
    pub notes: Vec<Note>,
}

/// Drafts a whole definition.
pub fn draft(schema: &Schema, plan: &Plan<'_>) -> Draft {
    let names = plan.names.completed(schema);
    let context = Context { schema, plan, names: &names };
    let mut draft = Draft::default();
    let mut menu: Vec<(&str, Vec<String>)> = vec![("Records", Vec::new()), ("Overviews", Vec::new())];
    for table in &schema.tables {
        let Some(entity) = names.entity(&table.name) else { continue };
        let drafted = EntityDraft::of(&context, table, entity);
        draft.tree.files.insert(FileKey::Entity(entity.to_owned()), drafted.node);
        draft.notes.extend(drafted.notes);
        let group = usize::from(table.kind == TableKind::View);
        if let Some((_, items)) = menu.get_mut(group).filter(|_| !is_join_table(table)) {
            items.push(entity.to_owned());
        }
    }
    let groups = menu.into_iter().filter(|(_, items)| !items.is_empty());
    let menu =
        groups.map(|(label, items)| Node::table().with("label", label.into()).with("items", Node::texts(&items))).collect::<Vec<_>>();
    let mut app = Node::table().with("title", plan.title.into());
    if let Some(role) = plan.open_to {
        app.set("role", Node::table().with(role, Node::table().with("label", labels::sentence(role).as_str().into())));
    }
    if !menu.is_empty() {
        app.set("menu", Node::new(Value::List(menu)));
    }
    draft.tree.files.insert(FileKey::App, app);
    draft
}

/// What every part of the draft looks at.
struct Context<'a> {
    schema: &'a Schema,
    plan: &'a Plan<'a>,
    names: &'a NamesInUse,
}

/// A table that only joins others: its key is its references and there is nothing else.
fn is_join_table(table: &Table) -> bool {
    table.foreign_keys.len() >= 2
        && table.columns.iter().all(|c| table.foreign_keys.iter().any(|k| crate::name::contains(&k.columns, &c.name)))
}

/// The path of a key: for building and finding.
pub(crate) fn path(parts: &[&str]) -> Vec<Seg> {
    parts.iter().map(|p| Seg::from(*p)).collect()
}
