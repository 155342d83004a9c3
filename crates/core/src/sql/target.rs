//! What the names of a fragment stand for.

use std::ops::Range;

/// What a name in a fragment stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Target {
    /// A column of a table of the schema.
    Column {
        /// The table.
        table: String,
        /// The column, as the schema spells it.
        column: String,
    },
    /// A table of the schema.
    Table(String),
    /// A column of more than one of the tables it is looked for in: the database would refuse it.
    Ambiguous(String),
    /// Nothing in the schema: the database would refuse it.
    Missing {
        /// The table it was looked for in, when only one was possible.
        table: Option<String>,
        /// The name as written.
        name: String,
        /// Whether it stands where a table is expected.
        is_table: bool,
    },
}

/// A name at its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Named {
    /// Bytes of the name in the fragment, quotes included.
    pub at: Range<usize>,
    /// What it is.
    pub target: Target,
}

/// A function that a fragment calls.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Call {
    /// Its name, without its schema.
    pub name: String,
    /// How many values it is given; nothing where that can't be told.
    pub given: Option<usize>,
    /// Where its name begins, in bytes.
    pub at: usize,
}
