//! The kinds of elements a definition has, as the impact matrix counts them.

use serde::Serialize;

/// What of a definition a rule looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum ElementKind {
    /// What a page shows.
    Page,
    /// An entity's key.
    Key,
    /// Its version column.
    Version,
    /// Searched, filtered, sorted, grouped, child links.
    Places,
    /// A page's `where`, a formula, a `[check]` rule, a lookup's condition.
    Condition,
    /// `[source]`: SQL and routines of a person's own.
    Source,
    /// A lookup and its choices.
    Lookup,
    /// A set linked by a join table.
    Related,
    /// Titles, labels, help texts, translations.
    Label,
    /// A form and its validations.
    Form,
    /// What roles may see and do.
    Access,
    /// The menu.
    Menu,
    /// Imports and exports.
    Exchange,
    /// What remote clients see.
    Outward,
    /// Hand-written code and the database's own programs.
    Code,
}

impl ElementKind {
    /// All of them, in the order of the matrix.
    pub const ALL: [ElementKind; 15] = [
        ElementKind::Page,
        ElementKind::Key,
        ElementKind::Version,
        ElementKind::Places,
        ElementKind::Condition,
        ElementKind::Source,
        ElementKind::Lookup,
        ElementKind::Related,
        ElementKind::Label,
        ElementKind::Form,
        ElementKind::Access,
        ElementKind::Menu,
        ElementKind::Exchange,
        ElementKind::Outward,
        ElementKind::Code,
    ];

    /// The word for people.
    pub fn word(self) -> &'static str {
        match self {
            ElementKind::Page => "shown",
            ElementKind::Key => "key",
            ElementKind::Version => "version",
            ElementKind::Places => "search, filter, sort",
            ElementKind::Condition => "condition, formula, check",
            ElementKind::Source => "source",
            ElementKind::Lookup => "lookup, choices",
            ElementKind::Related => "related set",
            ElementKind::Label => "title, label, help",
            ElementKind::Form => "form",
            ElementKind::Access => "access",
            ElementKind::Menu => "menu",
            ElementKind::Exchange => "import, export",
            ElementKind::Outward => "outward",
            ElementKind::Code => "code",
        }
    }
}
