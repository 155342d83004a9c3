//! What a statement needs of the database, and for which element of the definition.

use crate::definition::{Entity, Place};
use crate::schema::Operation;

/// A column, where it is read.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Read {
    /// Its table.
    pub table: String,
    /// The query that stands in for the table, if any.
    pub select: Option<String>,
    /// Its name.
    pub column: String,
}

impl Read {
    /// A column of an entity: of its query, where one stands in for the table.
    pub fn of(entity: &Entity, column: &str) -> Read {
        let select = entity.source.select.as_ref().map(|s| s.value.clone());
        Read { table: entity.table.value.clone(), select, column: column.to_owned() }
    }

    /// A column of a table itself.
    pub fn of_table(table: &str, column: &str) -> Read {
        Read { table: table.to_owned(), select: None, column: column.to_owned() }
    }
}

/// Something a statement leans on.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Need {
    /// A table or view.
    Table(String),
    /// A column that is read.
    Column {
        /// Its table.
        table: String,
        /// The query that stands in for the table, if any.
        select: Option<String>,
        /// Its name.
        column: String,
    },
    /// Two columns that are compared.
    Compared {
        /// One.
        this: Read,
        /// The other.
        with: Read,
    },
    /// A column that records are sorted, grouped or found by: its type has to have an order.
    Ordered(Read),
    /// A column that is added up.
    Total {
        /// Which.
        of: Read,
        /// `sum`, `average`, `least`, `greatest` or `count`.
        total: String,
    },
    /// A condition, formula or rule over a table's columns.
    Condition {
        /// The table.
        table: String,
        /// The query that stands in for the table, if any.
        select: Option<String>,
        /// The SQL.
        text: String,
    },
    /// A statement of a person's own, or a query that stands in for a table.
    Statement {
        /// The entity's table.
        table: String,
        /// The SQL.
        text: String,
    },
    /// A routine with arguments of these names, in the routine's order as far as it is known.
    Routine {
        /// Its name.
        name: String,
        /// The arguments given.
        arguments: Vec<String>,
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
    /// Grouped by.
    Group,
}

impl Spot {
    /// The word in findings.
    pub fn word(self) -> &'static str {
        match self {
            Spot::Shown => "shown",
            Spot::Search => "search",
            Spot::Filter => "filter",
            Spot::Sort => "sort",
            Spot::Group => "group",
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
    /// Its version column.
    Version,
    /// A field, at a spot of the page.
    Field {
        /// The field.
        field: String,
        /// Where it is used.
        spot: Spot,
    },
    /// A field's formula.
    Formula {
        /// The field; one of another entity with that entity before it.
        field: String,
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
    /// What a lookup or related set shows or is sorted by.
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
    /// The join table of a related set.
    Join {
        /// The field.
        field: String,
    },
    /// Linking and unlinking records of a related set.
    Link {
        /// The field.
        field: String,
    },
    /// A child list and its link.
    Child {
        /// The child entity.
        entity: String,
        /// Its lookup.
        by: String,
    },
    /// A field of a child list.
    ChildField {
        /// The child entity.
        entity: String,
        /// Its lookup.
        by: String,
        /// Its field.
        field: String,
    },
    /// A role's row filter.
    Rows {
        /// The role.
        role: String,
    },
    /// A validation over several fields.
    Check {
        /// Its name.
        check: String,
    },
    /// Where the data comes from or goes to: the part of `[source]`.
    Source {
        /// `select`, `insert`, `update` or `delete`.
        part: &'static str,
    },
    /// A file records are taken from.
    Import {
        /// Its name.
        import: String,
        /// The field concerned, if any.
        field: Option<String>,
    },
    /// A file records are written to.
    Export {
        /// Its name.
        export: String,
        /// The field concerned, if any.
        field: Option<String>,
    },
    /// Saving or deleting.
    Save,
    /// Saving as a role that may not give all the fields.
    SaveAs {
        /// The role.
        role: String,
    },
}

impl Why {
    /// The field it is about, where there is one.
    pub fn field(&self) -> Option<&str> {
        match self {
            Why::Field { field, .. }
            | Why::Formula { field }
            | Why::LookupTarget { field }
            | Why::LookupValue { field }
            | Why::LookupCondition { field }
            | Why::Join { field }
            | Why::Link { field }
            | Why::Display { field, .. } => Some(field),
            Why::Import { field, .. } | Why::Export { field, .. } => field.as_deref(),
            _ => None,
        }
    }

    /// The child list it is about, by its entity and that one's lookup.
    pub fn child(&self) -> Option<(&str, &str)> {
        match self {
            Why::Child { entity, by } | Why::ChildField { entity, by, .. } => Some((entity, by)),
            _ => None,
        }
    }

    /// Whether it is told page by page: others are told once for all pages they concern.
    pub fn is_of_page(&self) -> bool {
        matches!(
            self,
            Why::Field { .. }
                | Why::PageCondition
                | Why::Save
                | Why::SaveAs { .. }
                | Why::Child { .. }
                | Why::ChildField { .. }
                | Why::Link { .. }
        )
    }
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
