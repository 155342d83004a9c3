//! Kinds of fields: what the conventions say, else what type, name and constraints say.

use super::conventions::Conventions;
use crate::definition::{FIELD_KINDS, FieldKind};
use crate::name::{self, Patterns};
use crate::schema::{Column, Engine, Kind};

/// A field's kind: what the conventions say of its column's type, else what type and name say.
pub(super) fn kind(column: &Column, conventions: &Conventions) -> &'static FieldKind {
    let spelled: String = column.column_type.original.to_lowercase().split_whitespace().collect();
    let configured = conventions.kinds.iter().find(|(t, _)| t.to_lowercase().split_whitespace().collect::<String>() == spelled);
    let by_name = conventions.name_kinds.iter().find(|(pattern, _)| Patterns::from(pattern.as_str()).fit_words(&column.name));
    let plain =
        |(_, kind): &(&String, &String)| FIELD_KINDS.contains(&kind.as_str()) && !["lookup", "related", "choice"].contains(&kind.as_str());
    match by_name.filter(plain).or(configured.filter(plain)) {
        Some((_, kind)) => FieldKind::named(kind),
        None => FieldKind::of(column),
    }
}

/// Why a kind is a guess, and the convention that changes it; nothing where the type alone says it.
pub(super) fn guessed_kind(column: &Column, kind: &FieldKind, conventions: &Conventions) -> Option<(&'static str, &'static str)> {
    let nameless = Column { name: String::new(), ..column.clone() };
    match self::kind(&nameless, conventions) {
        by_type if by_type.name != kind.name => Some(("by their names", "name_kinds")),
        by_type if FieldKind::of(&nameless).name != by_type.name => Some(("by their types", "kinds")),
        _ => None,
    }
}

/// Whether an integer is a yes or no, on an engine that has no other way to keep one: its only values are 0 and 1, or it is called
/// so and doesn't start with another number.
pub(super) fn is_yes_or_no(column: &Column, values: &[String], engine: Engine) -> bool {
    if engine == Engine::Postgresql || column.column_type.kind != Kind::Integer {
        return false;
    }
    let bit = |text: &str| ["0", "1"].contains(&text.trim_matches(['(', ')', '\'', ' ']));
    if !values.is_empty() {
        return values.len() == 2 && values.iter().all(|v| bit(v));
    }
    let words = name::words(&column.name);
    let asks =
        words.len() > 1 && words.first().is_some_and(|first| ["is", "has", "can", "may", "was", "allow", "use"].contains(&first.as_str()));
    let answers = words.last().is_some_and(|last| FLAGS.contains(&last.as_str()));
    match column.own_default() {
        Some(default) => bit(default) && (asks || answers),
        None => asks,
    }
}

/// Words that say yes or no of a record.
const FLAGS: &[&str] = &[
    "active",
    "aktiv",
    "archived",
    "closed",
    "confirmed",
    "default",
    "del",
    "deleted",
    "disabled",
    "done",
    "enabled",
    "flag",
    "hidden",
    "locked",
    "paid",
    "private",
    "public",
    "published",
    "required",
    "visible",
    "yn",
];
