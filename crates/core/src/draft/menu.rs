//! The menu, from the entities people start at.

use super::{Context, Drafted};
use crate::definition::{Node, Value};
use crate::schema::TableKind;

/// Menu groups: records with a name of their own, and views. What is told only by what it belongs to is reached from
/// there.
pub(super) fn menu(context: &Context<'_>) -> Option<Node> {
    let mut groups: [(&str, Vec<&str>); 2] = [("Records", Vec::new()), ("Overviews", Vec::new())];
    // Where everything belongs to something, everything is a start.
    let all = context.entities.values().filter(|d| d.table.kind == TableKind::Table).all(belongs_to_others);
    for drafted in context.entities.values() {
        let group = match drafted.table.kind {
            TableKind::View => 1,
            _ if !all && belongs_to_others(drafted) => continue,
            _ => 0,
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

/// A table without a name of its own that always belongs to another: a line, an event.
fn belongs_to_others(drafted: &Drafted<'_>) -> bool {
    let named = drafted.fields.iter().any(|f| {
        let column = f.columns.first().map_or("", String::as_str);
        f.is_text() && (f.unique || ["name", "title", "last_name"].iter().any(|n| crate::name::same(n, column)))
    });
    let belongs = drafted.fields.iter().any(|f| f.kind.name == "lookup" && f.required);
    belongs && !named
}
