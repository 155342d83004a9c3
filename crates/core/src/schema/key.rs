//! Keys and constraints over columns.

use super::Table;
use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A foreign key.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct ForeignKey {
    /// The columns that point.
    pub columns: Vec<String>,
    /// The table they point at.
    pub table: String,
    /// The columns pointed at, in the same order; empty for the target's primary key.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub to: Vec<String>,
    /// What happens on DELETE of the target (`CASCADE`, `SET NULL`…); absent for no action.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_delete: Option<String>,
    /// What happens on UPDATE of the target's key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_update: Option<String>,
    /// Checked at the end of the transaction.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deferred: bool,
}

impl ForeignKey {
    /// The columns of the target, its primary key where none are named.
    pub fn target_columns<'a>(&'a self, target: &'a Table) -> &'a [String] {
        if self.to.is_empty() { &target.primary_key } else { &self.to }
    }

    /// Whether the target has the columns, as its key or a unique constraint.
    pub fn fits(&self, target: &Table) -> bool {
        let columns = self.target_columns(target);
        columns.len() == self.columns.len() && columns.iter().all(|c| target.column(c).is_some()) && target.is_unique(columns)
    }

    /// Whether this key says the same as another: target's primary key named or not.
    pub fn means(&self, other: &ForeignKey, target: Option<&Table>) -> bool {
        let to = |key: &ForeignKey| -> Vec<String> {
            target.map_or_else(|| key.to.clone(), |t| key.target_columns(t).to_vec()).iter().map(|c| name::fold(c)).collect()
        };
        let folded = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
        name::same(&self.table, &other.table)
            && folded(&self.columns) == folded(&other.columns)
            && to(self) == to(other)
            && self.on_delete == other.on_delete
            && self.on_update == other.on_update
            && self.deferred == other.deferred
    }
}

/// A unique constraint or unique index.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Unique {
    /// The columns, in index order.
    pub columns: Vec<String>,
    /// Unique only among some records (a partial index).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub partial: bool,
}

/// A CHECK constraint.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Check {
    /// Its name, where it has one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The expression, as the database keeps it.
    pub expression: String,
}
