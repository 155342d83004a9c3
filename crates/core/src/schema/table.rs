//! Tables and views.

use super::{Check, Column, ForeignKey, Unique};
use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Whether records are stored or computed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum TableKind {
    /// A table.
    #[default]
    Table,
    /// A view.
    View,
}

impl TableKind {
    /// The word for messages.
    pub fn word(self) -> &'static str {
        match self {
            TableKind::Table => "table",
            TableKind::View => "view",
        }
    }
}

/// A write.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Operation {
    /// INSERT
    Insert,
    /// UPDATE
    Update,
    /// DELETE
    Delete,
}

/// A trigger: enough to know what it makes writable and whether it still works.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Trigger {
    /// Its name.
    pub name: String,
    /// The write it answers.
    pub operation: Operation,
    /// Whether it stands in for the write (on a view).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub instead_of: bool,
    /// The statement that made it.
    pub definition: String,
    /// What the database says when it can't compile the trigger.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broken: Option<String>,
}

/// A table or view.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Table {
    /// Its name.
    pub name: String,
    /// Table or view.
    pub kind: TableKind,
    /// Columns in their order.
    pub columns: Vec<Column>,
    /// Columns of the primary key, in key order; empty without one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub primary_key: Vec<String>,
    /// Foreign keys, sorted by columns.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub foreign_keys: Vec<ForeignKey>,
    /// Unique constraints and unique indexes over whole columns, sorted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub uniques: Vec<Unique>,
    /// CHECK constraints, in their order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub checks: Vec<Check>,
    /// Triggers, sorted by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub triggers: Vec<Trigger>,
    /// A view's SELECT statement.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub definition: Option<String>,
    /// What the database says when the view can't be read any more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broken: Option<String>,
    /// Whether the engine enforces the columns' types (SQLite's STRICT).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub strict: bool,
    /// Whether records have no hidden row number (SQLite's WITHOUT ROWID; views count too).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub without_rowid: bool,
}

impl Table {
    /// The column of this name.
    pub fn column(&self, column: &str) -> Option<&Column> {
        self.columns.iter().find(|known| name::same(&known.name, column))
    }

    /// Whether a statement may read this name: a column, or SQLite's names for the row number.
    pub fn reads(&self, column: &str) -> bool {
        self.column(column).is_some() || (self.has_rowid() && name::contains(&["rowid", "oid", "_rowid_"], column))
    }

    fn has_rowid(&self) -> bool {
        self.kind == TableKind::Table && !self.without_rowid
    }

    /// The foreign key over exactly these columns, in any order.
    pub fn foreign_key(&self, columns: &[String]) -> Option<&ForeignKey> {
        self.foreign_keys.iter().find(|key| key.columns.len() == columns.len() && key.columns.iter().all(|c| name::contains(columns, c)))
    }

    /// Whether these columns (in any order) are the primary key or a unique constraint.
    pub fn is_unique(&self, columns: &[String]) -> bool {
        let same_set = |known: &[String]| known.len() == columns.len() && known.iter().all(|c| name::contains(columns, c));
        !columns.is_empty() && (same_set(&self.primary_key) || self.uniques.iter().any(|u| !u.partial && same_set(&u.columns)))
    }

    /// Columns whose value an INSERT has to give: NOT NULL without default or generator.
    pub fn required_columns(&self) -> impl Iterator<Item = &Column> {
        self.columns
            .iter()
            .filter(|c| self.kind == TableKind::Table && !c.nullable && c.default.is_none() && c.generated.is_none() && !c.auto)
    }
}
