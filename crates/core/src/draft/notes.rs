//! Why something was drafted as it was: what `start` says of everything, and `show` of a page.
//!
//! What the database declares needs no convention; a guess names the key under `[conventions]` that changes it.

use schemars::JsonSchema;
use serde::Serialize;

/// The path of notes about the menu, which isn't in an entity's file.
pub(super) const MENU: &str = "menu";

/// Why something was drafted as it was.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Note {
    /// The entity.
    pub entity: String,
    /// The element in the entity's file: `field`, `portrait`, `kind`.
    pub path: Vec<String>,
    /// What kind of choice it was, in a word or two: notes of one topic, reason and convention are told together.
    pub topic: &'static str,
    /// What was chosen.
    pub what: String,
    /// The reason.
    pub why: String,
    /// The key under `[conventions]` that changes the guess; none where the database declares it.
    pub convention: Option<&'static str>,
}

impl Note {
    /// A note about an element of an entity that is still to be named.
    pub(super) fn new(path: &[&str], topic: &'static str, what: impl Into<String>, why: impl Into<String>) -> Note {
        let path = path.iter().map(|p| (*p).to_owned()).collect();
        Note { entity: String::new(), path, topic, what: what.into(), why: why.into(), convention: None }
    }

    /// The same as a guess that this convention changes.
    pub(super) fn changed_by(self, convention: Option<&'static str>) -> Note {
        Note { convention, ..self }
    }

    /// The same about this entity.
    pub(super) fn of(self, entity: &str) -> Note {
        Note { entity: entity.to_owned(), ..self }
    }

    /// Whether it is about this page: its own elements, its fields, or the entity as a whole.
    pub(super) fn concerns(&self, page: &str, fields: &[&str]) -> bool {
        match self.path.iter().map(String::as_str).collect::<Vec<_>>().as_slice() {
            ["page", own, ..] => *own == page,
            ["field", field, ..] => fields.contains(field),
            [MENU] => false,
            _ => true,
        }
    }
}
