//! The database engines, and what only the engine tells.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The database engine a schema was read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Engine {
    /// SQLite 3.
    #[default]
    Sqlite,
    /// PostgreSQL.
    Postgresql,
    /// MariaDB.
    Mariadb,
    /// MySQL.
    Mysql,
}

impl Engine {
    /// Whether two column names that differ only by case are two columns.
    pub fn tells_case(self) -> bool {
        self == Engine::Postgresql
    }

    /// Whether it refuses to prepare a comparison of two kinds, rather than making something of the values.
    pub fn tells_types(self) -> bool {
        self == Engine::Postgresql
    }

    /// Whether it speaks the MySQL protocol's dialect.
    pub fn is_mysql_like(self) -> bool {
        matches!(self, Engine::Mariadb | Engine::Mysql)
    }

    /// What people call it.
    pub fn word(self) -> &'static str {
        match self {
            Engine::Sqlite => "SQLite",
            Engine::Postgresql => "PostgreSQL",
            Engine::Mariadb => "MariaDB",
            Engine::Mysql => "MySQL",
        }
    }
}
