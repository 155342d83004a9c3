//! A table or column, by its name.

use crate::name;
use crate::rename::without_gone;
use crate::schema::Schema;

/// A table, or a column of one.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Thing {
    /// The table.
    pub table: String,
    /// The column; absent for the table as a whole.
    pub column: Option<String>,
}

impl Thing {
    /// A table.
    pub fn table(table: &str) -> Thing {
        Thing { table: table.to_owned(), column: None }
    }

    /// A column.
    pub fn column(table: &str, column: &str) -> Thing {
        Thing { table: table.to_owned(), column: Some(column.to_owned()) }
    }

    /// Whether the schema has it.
    pub fn is_in(&self, schema: &Schema) -> bool {
        schema.table(&self.table).is_some_and(|t| self.column.as_ref().is_none_or(|c| t.reads(c)))
    }

    /// Whether both name the same.
    pub fn same(&self, other: &Thing) -> bool {
        name::same(&self.table, &other.table)
            && match (&self.column, &other.column) {
                (Some(a), Some(b)) => name::same(a, b),
                (a, b) => a.is_none() && b.is_none(),
            }
    }

    /// `table` or `table.column`, for people.
    pub fn shown(&self) -> String {
        match &self.column {
            Some(column) => name::shown(&name::dotted(without_gone(&self.table), without_gone(column))),
            None => name::shown(&name::written(without_gone(&self.table))),
        }
    }
}
