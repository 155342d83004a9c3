//! The menu, from the entities people start at; and what the database's routines could do.

use super::{Context, Drafted, Note};
use crate::definition::{Node, Value};
use crate::schema::{Schema, TableKind};

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

/// Routines that change something may stand in for the generator's own SQL; which one does what, only a person knows.
pub(super) fn about_routines(schema: &Schema) -> Vec<Note> {
    let callable = schema.objects.routines.iter().filter(|r| r.kind == "procedure");
    callable
        .map(|routine| {
            let arguments: Vec<String> = routine.parameters().iter().map(|p| format!("{p} = \"…\"")).collect();
            Note {
                entity: String::new(),
                text: format!(
                    "routine {} may stand in for adding, changing or deleting: [source] delete = {{ routine = \"{}\", arguments = {{ {} }} }}",
                    routine.signature(),
                    routine.name,
                    arguments.join(", ")
                ),
            }
        })
        .collect()
}
