//! Columns.

use super::ColumnType;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How a generated column gets its value.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Generated {
    /// The expression, as the database keeps it.
    pub expression: String,
    /// Stored, or computed when read.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stored: bool,
}

/// A column of a table or view.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// Its type.
    #[serde(rename = "type")]
    pub column_type: ColumnType,
    /// Whether it may be NULL.
    pub nullable: bool,
    /// The default, as SQL text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default: Option<String>,
    /// Set for generated columns: the database refuses to write them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generated: Option<Generated>,
    /// Whether the database numbers new records by it (SQLite's INTEGER PRIMARY KEY).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub auto: bool,
}

impl Column {
    /// Whether a form has to give a value: NOT NULL, and not the database's own to fill.
    pub fn needs_value(&self) -> bool {
        !self.nullable && self.generated.is_none() && !self.auto
    }

    /// Whether the database writes it itself, and refuses anybody else's value.
    pub fn written_by_database(&self) -> bool {
        self.generated.is_some()
    }
}
