//! Routines offered as actions: which of them could stand in for adding, changing or deleting a record.
//!
//! Whether one should, only a person knows: it is offered as the lines to write, never drafted.

use super::Note;
use super::context::Context;
use super::fields::FieldDraft;
use crate::name::{self, same};
use crate::schema::{Engine, Routine};
use crate::sql::{self, Written};
use std::sync::Arc;

/// What begins the names of routines that do this.
const VERBS: &[(&str, &[&str])] = &[
    ("insert", &["add", "create", "insert", "new", "register", "open", "start"]),
    ("delete", &["delete", "remove", "drop", "close", "end", "cancel", "archive", "retire"]),
    ("update", &["update", "change", "edit", "set", "rename", "move", "save"]),
];

/// A note for every procedure: at the entity whose table it writes, or at none.
pub(super) fn offered(context: &Context<'_>) -> Vec<Note> {
    let schema = context.names.schema;
    schema.objects.routines.iter().filter(|r| r.kind == "procedure").map(|routine| note(context, routine, schema.engine)).collect()
}

fn note(context: &Context<'_>, routine: &Routine, engine: Engine) -> Note {
    let parameters = routine.parameters();
    let written = sql::written_by(&routine.body, &parameters, engine);
    let drafted = written.as_ref().and_then(|w| context.entities.get(&name::fold(&w.table)));
    let (Some(drafted), Some(written)) = (drafted, written) else {
        return Note::new(&[], "routine", routine.signature(), "may be called from SQL of your own under [source]");
    };
    let verb = name::words(&routine.name).into_iter().next().unwrap_or_default();
    let action = VERBS.iter().find(|(_, verbs)| verbs.contains(&verb.as_str())).map_or(written.action, |(action, _)| action);
    let value = |parameter: &String| -> String {
        let field = field_of(&drafted.fields, parameter, &written);
        format!("{} = \"{}\"", key(parameter), field.map_or("?", |f| f.name.as_str()))
    };
    let given: Vec<String> = parameters.iter().filter(|p| !p.is_empty()).map(value).collect();
    let line = format!(
        "{action} = {{ routine = \"{}\", arguments = {{ {} }} }}",
        name::written(&routine.name).replace('"', "\\\""),
        given.join(", ")
    );
    Note::new(&["source"], "routine", routine.signature(), format!("may {action} its records: under [source], {line}")).of(&drafted.entity)
}

/// The field a parameter is about: by the body, else by its name.
fn field_of<'a>(fields: &'a [Arc<FieldDraft>], parameter: &str, written: &Written) -> Option<&'a FieldDraft> {
    let plain = parameter.strip_prefix("p_").or_else(|| parameter.strip_prefix('_')).unwrap_or(parameter);
    let column = written.columns.iter().find(|(known, _)| same(known, parameter)).map_or(plain, |(_, column)| column.as_str());
    let over = |f: &&FieldDraft| f.columns.iter().any(|c| same(c, column));
    let mut all = fields.iter().map(|field| &**field);
    all.clone().find(over).or_else(|| all.find(|f| same(&f.name, plain)))
}

/// A parameter as a key of TOML.
fn key(parameter: &str) -> String {
    let is_bare = parameter.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-');
    if is_bare { parameter.to_owned() } else { format!("{parameter:?}") }
}
