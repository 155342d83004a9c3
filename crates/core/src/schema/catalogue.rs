//! The catalogue's own numbers: what survives a rename.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Numbers that a database gave to its tables and columns. They say nothing outside that database.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Catalogue {
    /// Which database: two catalogues compare only where this is the same.
    pub database: String,
    /// By table.
    pub tables: Vec<TableNumbers>,
    /// How far the change log had come, where the database keeps one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trail: Option<i64>,
}

/// A table's number and its columns'.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct TableNumbers {
    /// The table.
    #[serde(with = "crate::name::as_written")]
    #[schemars(with = "String")]
    pub table: String,
    /// Its number.
    pub number: u64,
    /// Its columns' numbers.
    pub columns: BTreeMap<String, u64>,
}

/// An entry of a database's change log.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TrailEntry {
    /// Its number.
    pub id: i64,
    /// When, as ISO 8601 writes it.
    pub at: String,
    /// The role.
    pub who: String,
    /// What it is about, as the database names it.
    pub object: String,
    /// The statement as it was sent.
    pub statement: String,
}

impl Catalogue {
    /// The numbers of a table.
    pub fn table(&self, name: &str) -> Option<&TableNumbers> {
        self.tables.iter().find(|t| t.table == name)
    }
}
