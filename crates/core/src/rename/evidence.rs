//! The vocabulary of evidence: why two names are taken for the same thing.

use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Why a rename is believed, and how much.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Evidence {
    /// Beyond doubt.
    Certain {
        /// What makes it certain.
        reasons: Vec<String>,
    },
    /// A score with its reasons; a person decides.
    Likely {
        /// From 0 to 1.
        score: f64,
        /// What speaks for it.
        reasons: Vec<String>,
    },
}

impl Evidence {
    /// The reasons, whatever the certainty.
    pub fn reasons(&self) -> &[String] {
        match self {
            Evidence::Certain { reasons } | Evidence::Likely { reasons, .. } => reasons,
        }
    }

    /// The score in words.
    pub fn words(&self) -> &'static str {
        match self {
            Evidence::Certain { .. } => "certainly",
            Evidence::Likely { score, .. } if *score >= 0.99 => "almost certainly",
            Evidence::Likely { score, .. } if *score >= 0.95 => "probably",
            Evidence::Likely { .. } => "perhaps",
        }
    }
}

/// Which renames are taken without asking (`[merge] renames`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum RenamePolicy {
    /// Take the certain ones, ask about the likely ones.
    #[default]
    Certain,
    /// Ask about all.
    Ask,
    /// Take likely ones without a close rival too.
    Likely,
}

/// A name that an earlier merge renamed away from: coming back to it is certain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Former {
    /// The table, by its accepted name.
    pub table: String,
    /// The column, by its accepted name; absent for the table itself.
    pub column: Option<String>,
    /// What it was called before.
    pub name: String,
}

/// All that is known beyond the two schemas when renames are looked for.
#[derive(Debug, Clone, Default)]
pub struct Known {
    /// What to take without asking.
    pub policy: RenamePolicy,
    /// Earlier names of accepted tables and columns.
    pub former: Vec<Former>,
    /// Answers given, by question name.
    pub answers: BTreeMap<String, String>,
    /// Names that parts were set aside under: `(table, None)` or `(table, column)`. They return rather than being a new name for something else.
    pub returning: Vec<(String, Option<String>)>,
}

/// A rename beyond doubt, by accepted names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CertainRename {
    /// The table.
    pub table: String,
    /// The column; absent for the table itself.
    pub column: Option<String>,
    /// The new name.
    pub to: String,
    /// What makes it certain.
    pub reason: String,
    /// Whether a person has to confirm it all the same: something else has the old name now (a swap, a chain, a
    /// table rebuilt under its name).
    pub ask: bool,
}

impl Known {
    /// Whether the set-aside parts wait for this column.
    pub fn column_returns(&self, table: &str, column: &str) -> bool {
        self.returning.iter().any(|(t, c)| name::same(t, table) && c.as_deref().is_some_and(|c| name::same(c, column)))
    }

    /// Whether the set-aside parts wait for this table.
    pub fn table_returns(&self, table: &str) -> bool {
        self.returning.iter().any(|(t, c)| name::same(t, table) && c.is_none())
    }
}

/// The stable name of the question about a rename.
pub fn question(table: &str, column: Option<&str>) -> String {
    match column {
        Some(column) => format!("rename/{}", name::dotted(table, column)),
        None => format!("rename/{}", name::written(table)),
    }
}
