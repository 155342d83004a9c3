//! Tables and views.

use super::{Check, Column, Engine, ForeignKey, Grant, Index, Policy, RowSecurity, Unique};
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
    /// The writes it answers.
    pub operations: Vec<Operation>,
    /// Whether it stands in for the write (on a view).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub instead_of: bool,
    /// The statement that made it.
    pub definition: String,
    /// Whether it is switched off.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub off: bool,
    /// What the database says when it can't compile the trigger.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broken: Option<String>,
}

/// A table or view.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Table {
    /// The engine it is on.
    #[serde(skip)]
    pub engine: Engine,
    /// The namespace in a snapshot's file, for one outside the home schema.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub schema: Option<String>,
    /// Its name; for one outside the home schema a [qualified](crate::name::qualified) one.
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
    /// Indexes that no key or unique constraint over whole columns needs, sorted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub indexes: Vec<Index>,
    /// EXCLUDE constraints, as the database writes them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exclusions: Vec<String>,
    /// Triggers, sorted by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub triggers: Vec<Trigger>,
    /// A view's SELECT statement.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub definition: Option<String>,
    /// The columns a view reads: `table.column`, sorted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reads: Vec<String>,
    /// The writes a view takes without a trigger; absent where the engine doesn't say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub takes: Option<Vec<Operation>>,
    /// What the database says when the view can't be read any more.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub broken: Option<String>,
    /// Whether the engine enforces the columns' types (SQLite's STRICT).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub strict: bool,
    /// Whether records have no hidden row number (SQLite's WITHOUT ROWID; views count too).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub without_rowid: bool,
    /// Whether a view keeps its records.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub materialised: bool,
    /// How its records are spread over partitions.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub partitioned_by: Option<String>,
    /// Its partitions: name and which records they hold.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub partitions: Vec<String>,
    /// Tables whose columns it inherits.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub inherits: Vec<String>,
    /// Anything else that isn't usual: its storage engine, `unlogged`, `foreign`…
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub options: Vec<String>,
    /// How its text is compared and sorted, where the engine says so for each table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<String>,
    /// The comment in the database.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
    /// Who owns it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<String>,
    /// Who may do what, its owner aside.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub grants: Vec<Grant>,
    /// Row policies.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub policies: Vec<Policy>,
    /// Whether they are obeyed.
    #[serde(default, skip_serializing_if = "RowSecurity::is_off")]
    pub row_security: RowSecurity,
}

impl Table {
    /// Whether two are the same, which those that schemas share are.
    pub fn is(&self, other: &Table) -> bool {
        std::ptr::eq(self, other) || self == other
    }

    /// The column of this name.
    pub fn column(&self, column: &str) -> Option<&Column> {
        // Where an engine tells cases apart, the exact spelling goes first.
        let exact = self.columns.iter().find(|known| known.name == column);
        exact.or_else(|| self.columns.iter().find(|known| !self.engine.tells_case() && name::same(&known.name, column)))
    }

    /// Whether a statement may read this name: a column, or SQLite's names for the row number.
    pub fn reads(&self, column: &str) -> bool {
        self.column(column).is_some() || (self.has_rowid() && name::contains(&["rowid", "oid", "_rowid_"], column))
    }

    fn has_rowid(&self) -> bool {
        self.engine == Engine::Sqlite && self.kind == TableKind::Table && !self.without_rowid
    }

    /// The foreign key over exactly these columns, in any order.
    pub fn foreign_key(&self, columns: &[String]) -> Option<&ForeignKey> {
        self.foreign_keys.iter().find(|key| key.columns.len() == columns.len() && key.columns.iter().all(|c| name::contains(columns, c)))
    }

    /// Whether these columns (in any order) are the primary key or a unique constraint.
    pub fn is_unique(&self, columns: &[String]) -> bool {
        let same_set = |known: &[String]| known.len() == columns.len() && known.iter().all(|c| name::contains(columns, c));
        !columns.is_empty() && (same_set(&self.primary_key) || self.uniques.iter().any(|u| same_set(&u.columns)))
    }

    /// Whether nothing that the database keeps tells its records apart: a view, or a table without a primary key, a
    /// unique constraint over required columns, and a row number.
    pub fn is_keyless(&self) -> bool {
        let required = |column: &String| self.column(column).is_some_and(|c| !c.nullable);
        let kept = || !self.primary_key.is_empty() || self.uniques.iter().any(|u| u.columns.iter().all(required)) || self.reads("rowid");
        self.kind == TableKind::View || !kept()
    }

    /// Whether these columns tell records apart: they hold the primary key, or a unique constraint.
    pub fn tells_apart(&self, columns: &[String]) -> bool {
        let within = |known: &[String]| !known.is_empty() && known.iter().all(|c| name::contains(columns, c));
        within(&self.primary_key) || self.uniques.iter().any(|u| within(&u.columns))
    }

    /// Whether an index of some kind begins with this column.
    pub fn is_indexed(&self, column: &str) -> bool {
        let first = |columns: &[String]| columns.first().is_some_and(|c| name::same(c, column));
        let part = |index: &Index| index.parts.first().and_then(|p| p.column.as_ref()).is_some_and(|c| name::same(c, column));
        // MariaDB keeps an index for each foreign key.
        let keys = self.engine.is_mysql_like() && self.foreign_keys.iter().any(|k| first(&k.columns));
        keys || first(&self.primary_key) || self.uniques.iter().any(|u| first(&u.columns)) || self.indexes.iter().any(part)
    }

    /// Whether one of these roles has a privilege on the whole table.
    pub fn grants_to(&self, roles: &[&str], privilege: &str) -> bool {
        let has = |grant: &Grant| {
            grant.privileges.iter().any(|p| p.trim_end_matches('*').eq_ignore_ascii_case(privilege) || p.starts_with("ALL"))
        };
        self.grants.iter().any(|g| g.columns.is_empty() && name::contains(roles, &g.to) && has(g))
    }

    /// Columns whose value an INSERT has to give: NOT NULL without default or generator.
    pub fn required_columns(&self) -> impl Iterator<Item = &Column> {
        self.columns
            .iter()
            .filter(|c| self.kind == TableKind::Table && !c.nullable && c.default.is_none() && c.generated.is_none() && !c.auto)
    }
}
