//! `ysomorph.toml`

use serde::Deserialize;
use ysomorph_core::draft::Conventions;
use ysomorph_core::merge::{FieldNaming, NewFields};
use ysomorph_core::rename::RenamePolicy;

/// The workspace's configuration.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Config {
    /// Version of the format.
    pub format: u32,
    /// The database.
    pub database: DatabaseConfig,
    /// How drafts are made.
    #[serde(default)]
    pub conventions: Conventions,
    /// How merges decide.
    #[serde(default)]
    pub merge: MergeConfig,
    /// Hand-written code.
    #[serde(default)]
    pub code: CodeConfig,
}

/// `[database]`
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct DatabaseConfig {
    /// Where the schema is read from.
    pub url: String,
    /// Namespaces read; the first is home.
    #[serde(default)]
    pub schemas: Vec<String>,
    /// Which tables are read.
    #[serde(default)]
    pub tables: Tables,
}

/// `tables = { include, exclude }`, by pattern.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Tables {
    /// Read.
    #[serde(default = "everything")]
    pub include: Vec<String>,
    /// Not read.
    #[serde(default)]
    pub exclude: Vec<String>,
}

fn everything() -> Vec<String> {
    vec!["*".to_owned()]
}

impl Default for Tables {
    fn default() -> Self {
        Tables { include: everything(), exclude: Vec::new() }
    }
}

/// `[merge]`
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct MergeConfig {
    /// Which renames are taken without asking.
    pub renames: RenamePolicy,
    /// What new fields do on hand-laid pages.
    pub new_fields: NewFields,
    /// Whether a field follows its column's name.
    pub field_names: FieldNaming,
}

/// `[code]`
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct CodeConfig {
    /// Folders of hand-written code.
    pub roots: Vec<String>,
}
