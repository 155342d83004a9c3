//! What there is beside the definition and the schemas: conventions, translations.

use super::Location;
use super::code::Hit;
use super::count::Counted;
use crate::draft::Conventions;

/// What rules look at beside the definition and the schemas.
#[derive(Debug, Clone, Default)]
pub struct Around {
    /// How drafts are made.
    pub conventions: Conventions,
    /// The entries of the catalogues, obsolete ones aside.
    pub translations: Vec<Translation>,
    /// Old names found in hand-written code.
    pub code: Vec<Hit>,
    /// What was counted in the data.
    pub data: Vec<Counted>,
    /// Where a password stands in a file of the workspace.
    pub passwords: Vec<Location>,
    /// Fields that the merge would rename with their columns: entity, old name, new name.
    pub renamed_fields: Vec<(String, String, String)>,
}

impl Around {
    /// The name a field would follow its column to.
    pub(super) fn follows(&self, entity: &str, field: &str) -> Option<&str> {
        self.renamed_fields.iter().find(|(of, from, _)| of == entity && from == field).map(|(.., to)| to.as_str())
    }
}

/// An entry of a catalogue of translations.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Translation {
    /// The language.
    pub language: String,
    /// The element's path.
    pub context: String,
    /// The text in the definition's own language.
    pub id: String,
    /// The translation; empty without one.
    pub text: String,
    /// Whether it was made of another text.
    pub fuzzy: bool,
    /// Where it stands.
    pub at: Location,
}
