//! Why something was drafted as it was: what `start` says of everything, and `show` of a page.
//!
//! What the database declares needs no convention; a guess names the key under `[conventions]` that changes it.

use schemars::JsonSchema;
use serde::Serialize;
use std::collections::BTreeMap;

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
    /// How soon to look at it; nothing where there is little to doubt.
    #[serde(skip)]
    #[schemars(skip)]
    pub doubt: Option<Doubt>,
}

/// What makes a guess worth a look, the weightiest first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Doubt {
    /// What tells records apart isn't sure.
    Key,
    /// What a record refers to is told by a name alone.
    Reference,
    /// Somebody may see what they should not, or miss what they need.
    Secret,
    /// A table has no pages of its own.
    Links,
    /// A record is called by what may say little.
    Title,
    /// A value is shown otherwise than its type says.
    Kind,
    /// A sum may say nothing.
    Total,
    /// Where the menu has it, or that it hasn't.
    Menu,
}

/// Guesses of one kind, over all entities.
#[derive(Debug, Clone)]
pub struct Guess<'a> {
    /// What they have in common: topic, reason and convention.
    pub note: &'a Note,
    /// Each of them.
    pub of: Vec<&'a Note>,
}

/// Guesses that are worth a look, the most doubtful first, those of one kind together.
pub fn worth_a_look(notes: &[Note]) -> Vec<Guess<'_>> {
    let mut guesses: BTreeMap<(Doubt, &str, &str, Option<&str>), Guess<'_>> = BTreeMap::new();
    for note in notes {
        let Some(doubt) = note.doubt else { continue };
        let guess = guesses.entry((doubt, note.topic, &note.why, note.convention)).or_insert_with(|| Guess { note, of: Vec::new() });
        guess.of.push(note);
    }
    guesses.into_values().collect()
}

impl Note {
    /// A note about an element of an entity that is still to be named.
    pub(super) fn new(path: &[&str], topic: &'static str, what: impl Into<String>, why: impl Into<String>) -> Note {
        let path = path.iter().map(|p| (*p).to_owned()).collect();
        Note { entity: String::new(), path, topic, what: what.into(), why: why.into(), convention: None, doubt: None }
    }

    /// The same as a guess that this convention changes.
    pub(super) fn changed_by(self, convention: Option<&'static str>) -> Note {
        Note { convention, ..self }
    }

    /// The same as one that is worth a look.
    pub(super) fn doubted(self, doubt: Doubt) -> Note {
        Note { doubt: Some(doubt), ..self }
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
