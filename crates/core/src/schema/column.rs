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
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
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
    /// Whether the database numbers new records by it (an identity column, AUTO_INCREMENT, SQLite's INTEGER PRIMARY KEY).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub auto: bool,
    /// Whether it refuses any other number than its own (GENERATED ALWAYS AS IDENTITY).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub always: bool,
    /// What an UPDATE that doesn't give it sets it to (MariaDB's ON UPDATE).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_update: Option<String>,
    /// How its text is compared and sorted, where that isn't the table's or database's way.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<String>,
    /// The comment in the database.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
}

impl Column {
    /// Whether a form has to give a value: NOT NULL, and not the database's own to fill.
    pub fn needs_value(&self) -> bool {
        !self.nullable && self.generated.is_none() && !self.auto
    }

    /// Whether the database writes it itself, and refuses anybody else's value.
    pub fn written_by_database(&self) -> bool {
        self.generated.is_some() || self.always
    }
}
