//! What a statement needs of the database, and for which element of the definition.

use crate::definition::Place;
use crate::schema::Operation;

/// Something a statement leans on.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Need {
    /// A table or view.
    Table(String),
    /// A column that is read.
    Column {
        /// Its table.
        table: String,
        /// Its name.
        column: String,
    },
    /// A condition over a table.
    Condition {
        /// The table.
        table: String,
        /// The SQL.
        text: String,
    },
    /// A write.
    Write {
        /// The table.
        table: String,
        /// Insert, update or delete.
        operation: Operation,
        /// The columns given.
        columns: Vec<String>,
    },
}

/// Where on a page a field is used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Spot {
    /// Shown, or on the form.
    Shown,
    /// Searched.
    Search,
    /// Filtered by.
    Filter,
    /// Sorted by.
    Sort,
}

impl Spot {
    /// The word in findings.
    pub fn word(self) -> &'static str {
        match self {
            Spot::Shown => "shown",
            Spot::Search => "search",
            Spot::Filter => "filter",
            Spot::Sort => "sort",
        }
    }
}

/// The element of the definition that needs it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Why {
    /// The entity itself.
    Entity,
    /// Its key.
    Key,
    /// A field, at a spot of the page.
    Field {
        /// The field.
        field: String,
        /// Where it is used.
        spot: Spot,
    },
    /// A field that the entity's title names; `of` the lookup it is reached through.
    Title {
        /// What the template names, as written.
        named: String,
    },
    /// The page's own condition.
    PageCondition,
    /// The entity a lookup points at.
    LookupTarget {
        /// The lookup field.
        field: String,
    },
    /// The columns a lookup points at.
    LookupValue {
        /// The lookup field.
        field: String,
    },
    /// What a lookup shows or is sorted by.
    Display {
        /// The lookup field.
        field: String,
        /// What its template names, as written.
        named: String,
    },
    /// A lookup's condition.
    LookupCondition {
        /// The lookup field.
        field: String,
    },
    /// A role's row filter.
    Rows {
        /// The role.
        role: String,
    },
    /// Saving or deleting.
    Save,
}

/// A need, what it is for and where that stands.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Use {
    /// What is needed.
    pub need: Need,
    /// By which element.
    pub why: Why,
    /// Where it stands.
    pub place: Place,
}
