//! What is counted in the data, and what came back.

use super::Location;

/// One count.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Count {
    /// The rule.
    pub rule: &'static str,
    /// The entity.
    pub entity: String,
    /// The field, where it is about one.
    pub field: Option<String>,
    /// The table and column, by their names as accepted.
    pub column: Option<(String, String)>,
    /// Where the element stands.
    pub at: Location,
    /// What is the matter with the records counted: `have no value in …`.
    pub what: String,
    /// A statement that shows them.
    pub show: String,
}

/// A count with what came back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Counted {
    /// What was counted.
    pub count: Count,
    /// How many records.
    pub records: u64,
    /// Of how many looked at.
    pub of: u64,
    /// Whether the table has more than were looked at.
    pub more: bool,
}
