//! The menu, from the entities people start at.

use super::context::{Context, Drafted};
use super::conventions::MenuEntities;
use super::notes::{MENU, Note};
use crate::definition::{Node, Value};
use crate::schema::TableKind;

/// Menu groups: records with a name of their own, and views. What is told only by what it belongs to is reached from
/// there.
pub(super) fn menu(context: &Context<'_>) -> Option<Node> {
    let mut groups: [(&str, Vec<&str>); 2] = [("Records", Vec::new()), ("Overviews", Vec::new())];
    let left_out = left_out(context);
    for drafted in context.entities.values() {
        let group = match drafted.table.kind {
            _ if left_out.contains(&drafted.entity.as_str()) => continue,
            TableKind::View => 1,
            TableKind::Table => 0,
        };
        if let Some((_, items)) = groups.get_mut(group) {
            items.push(&drafted.entity);
        }
    }
    let groups: Vec<Node> = groups
        .into_iter()
        .filter(|(_, items)| !items.is_empty())
        .map(|(label, items)| Node::table().with("label", label.into()).with("items", Node::texts(&items)))
        .collect();
    (!groups.is_empty()).then(|| Node::new(Value::List(groups)))
}

/// Entities that are reached from others alone.
fn left_out<'a>(context: &'a Context<'_>) -> Vec<&'a str> {
    let tables = || context.entities.values().filter(|d| d.table.kind == TableKind::Table);
    // Where everything belongs to something, everything is a start.
    if context.names.conventions.menu == MenuEntities::All || tables().all(belongs_to_others) {
        return Vec::new();
    }
    tables().filter(|d| belongs_to_others(d)).map(|d| d.entity.as_str()).collect()
}

/// What was guessed of the menu.
pub(super) fn notes(context: &Context<'_>) -> Vec<Note> {
    let note = Note::new(&[MENU], "menu", "not in it", "its records belong to others").changed_by(Some("menu"));
    left_out(context).into_iter().map(|entity| note.clone().of(entity)).collect()
}

/// A table without a name of its own that always belongs to another: a line, an event.
fn belongs_to_others(drafted: &Drafted<'_>) -> bool {
    let named = drafted.fields.iter().any(|f| {
        let column = f.columns.first().map_or("", String::as_str);
        f.is_text() && (f.unique || ["name", "title", "last_name"].iter().any(|n| crate::name::same(n, column)))
    });
    let belongs = drafted.fields.iter().any(|f| f.kind.name == "lookup" && f.required);
    belongs && !named
}
