//! The neutral schema model: what a database has, whatever engine it runs on.
//!
//! Sources convert at the border and keep the original spelling beside the canonical one. Names are
//! compared with [`crate::name::same`]. Tables are kept sorted by name, so that equal schemas are equal values.

mod column;
mod key;
mod order;
mod snapshot;
mod table;
mod type_name;

pub use column::{Column, Generated};
pub use key::{Check, ForeignKey, Unique};
pub use order::in_accepted_order;
pub use snapshot::{Snapshot, SnapshotError};
pub use table::{Operation, Table, TableKind, Trigger};
pub use type_name::{ColumnType, Kind};

use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The database engine a schema was read from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Engine {
    /// SQLite 3.
    #[default]
    Sqlite,
}

/// A database schema as a value.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Schema {
    /// Where it was read.
    pub engine: Engine,
    /// Tables and views, sorted by name.
    pub tables: Vec<Table>,
    /// Tables that exist but aren't read: excluded, or left for later.
    pub outside: Vec<String>,
}

impl Schema {
    /// A schema of these tables, put into their order.
    pub fn new(engine: Engine, mut tables: Vec<Table>) -> Schema {
        tables.sort_by(|a, b| a.name.cmp(&b.name));
        Schema { engine, tables, outside: Vec::new() }
    }

    /// The table or view of this name.
    pub fn table(&self, table: &str) -> Option<&Table> {
        // The exact spelling is found by bisection; only another case needs the slow way.
        match self.tables.binary_search_by(|known| known.name.as_str().cmp(table)) {
            Ok(at) => self.tables.get(at),
            Err(_) => self.tables.iter().find(|known| name::same(&known.name, table)),
        }
    }

    /// The column of this table, where both exist.
    pub fn column(&self, table: &str, column: &str) -> Option<&Column> {
        self.table(table)?.column(column)
    }

    /// Adds or replaces a table, keeping the order.
    pub fn put(&mut self, table: Table) {
        self.remove(&table.name);
        let at = self.tables.partition_point(|known| known.name < table.name);
        self.tables.insert(at, table);
    }

    /// Takes a table out.
    pub fn remove(&mut self, table: &str) -> Option<Table> {
        let at = self.tables.iter().position(|known| name::same(&known.name, table))?;
        Some(self.tables.remove(at))
    }

    /// Only the tables that match a pattern of `include` and none of `exclude`; the others stay known by name.
    pub fn restricted<S: AsRef<str>>(mut self, include: &[S], exclude: &[S]) -> Schema {
        let (inside, out): (Vec<Table>, Vec<Table>) =
            self.tables.into_iter().partition(|t| name::matches_any(include, &t.name) && !name::matches_any(exclude, &t.name));
        self.tables = inside;
        self.outside.extend(out.into_iter().map(|t| t.name));
        self.outside.sort();
        self
    }

    /// Foreign keys of any table that point at this one, with the table that has them.
    pub fn references_to<'a>(&'a self, table: &'a str) -> impl Iterator<Item = (&'a Table, &'a ForeignKey)> {
        self.tables
            .iter()
            .flat_map(|from| from.foreign_keys.iter().map(move |key| (from, key)))
            .filter(move |(_, key)| name::same(&key.table, table))
    }

    /// Why the database would refuse to prepare this write, if it would: a foreign key it can't follow,
    /// a view nothing makes writable, a trigger that names something gone.
    ///
    /// `written` are the columns an UPDATE sets; it is ignored for the other operations. The foreign key
    /// rules are SQLite's ("DML errors" of its foreign key documentation), with enforcement on.
    pub fn refuses_write(&self, table: &Table, operation: Operation, written: &[&str]) -> Option<Refusal> {
        if table.kind == TableKind::View {
            return match table.triggers.iter().find(|t| t.instead_of && t.operation == operation) {
                None => Some(Refusal::ReadOnlyView),
                Some(trigger) => trigger.broken.clone().map(|message| Refusal::Trigger { trigger: trigger.name.clone(), message }),
            };
        }
        if let Some(broken) = table.triggers.iter().find_map(|t| {
            let message = t.broken.clone().filter(|_| t.operation == operation)?;
            Some(Refusal::Trigger { trigger: t.name.clone(), message })
        }) {
            return Some(broken);
        }
        let touched = |columns: &[String]| operation != Operation::Update || columns.iter().any(|c| name::contains(written, c));
        for key in table.foreign_keys.iter().filter(|k| touched(&k.columns)) {
            match self.table(&key.table) {
                None if !name::contains(&self.outside, &key.table) => return Some(Refusal::TargetMissing { key: key.clone() }),
                Some(target) if !key.fits(target) => return Some(Refusal::Mismatch { from: table.name.clone(), key: key.clone() }),
                _ => {}
            }
        }
        // Once a statement has to look after any key, SQLite wants every key that points here to be in order. An
        // INSERT into a parent can't break an immediate one, so those aren't looked at.
        let looks = match operation {
            Operation::Delete | Operation::Insert => true,
            Operation::Update => {
                table.foreign_keys.iter().any(|k| touched(&k.columns))
                    || self.references_to(&table.name).any(|(_, k)| touched(k.target_columns(table)))
            }
        };
        let pointing = self.references_to(&table.name).filter(|(_, key)| operation != Operation::Insert || key.deferred);
        let mut broken = pointing.filter(|(_, key)| looks && !key.fits(table));
        if let Some((child, key)) = broken.next() {
            return Some(Refusal::Mismatch { from: child.name.clone(), key: key.clone() });
        }
        None
    }
}

/// Why a write is refused before it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refusal {
    /// A view without an INSTEAD OF trigger for this operation.
    ReadOnlyView,
    /// A trigger names something gone.
    Trigger {
        /// Its name.
        trigger: String,
        /// What the database says.
        message: String,
    },
    /// A foreign key of the table points at a table that is gone.
    TargetMissing {
        /// The key.
        key: ForeignKey,
    },
    /// A foreign key points at columns that are gone or not unique.
    Mismatch {
        /// The table that has the key.
        from: String,
        /// The key.
        key: ForeignKey,
    },
}
