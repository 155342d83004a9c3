//! The neutral schema model: what a database has, whatever engine it runs on.
//!
//! Sources convert at the border and keep the original spelling beside the canonical one. Names are
//! compared with [`crate::name::same`]. Tables are kept sorted by name, so that equal schemas are equal values.

mod called;
mod catalogue;
mod column;
mod fingerprint;
mod key;
mod lines;
mod object;
mod order;
mod references;
mod rights;
mod snapshot;
mod table;
mod tables;
mod type_name;
mod writes;

pub use catalogue::{Catalogue, TableNumbers, TrailEntry};
pub use column::{Column, Generated};
pub use fingerprint::{Fingerprint, SAMPLE};
pub use key::{Check, ForeignKey, Index, IndexPart, Unique};
pub use object::{CompositeType, Domain, EnumType, Event, RangeType, Routine, Sequence};
pub use order::in_accepted_order;
pub use rights::{DefaultGrant, Grant, Policy, RowSecurity};
pub use snapshot::{Outline, Snapshot, SnapshotError, snapshot_schema};
pub use table::{Operation, Table, TableKind, Trigger};
pub use tables::Tables;
pub use type_name::{ColumnType, Kind, TypeRelation};
pub use writes::{Pointing, Refusal, Writes};

pub use crate::engine::Engine;
use crate::name::{self, Patterns};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// A database schema as a value.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Schema {
    /// Where it was read.
    pub engine: Engine,
    /// Tables and views, sorted by name. One outside the home schema has a [qualified](name::qualified) name.
    pub tables: Tables,
    /// Tables that exist but aren't read: excluded, or left for later.
    pub outside: Vec<String>,
    /// What there is besides tables.
    pub objects: Objects,
    /// The catalogue's own numbers.
    pub catalogue: Option<Catalogue>,
    /// What the data of measured columns looks like, sorted by table and column.
    pub fingerprints: Vec<Fingerprint>,
    /// The home schema's name in the database it was just read from; no snapshot keeps it.
    pub home: Option<String>,
    /// The newest entries of the database's change log; no snapshot keeps them.
    pub trail: Vec<TrailEntry>,
    /// What the user may not see, in words; no snapshot keeps it.
    pub unseen: Vec<String>,
}

/// What a database has besides tables, each list sorted by name.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Objects {
    /// Types with a list of values.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub enums: Vec<EnumType>,
    /// Domains.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub domains: Vec<Domain>,
    /// Types of records.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub composites: Vec<CompositeType>,
    /// Types of ranges.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub ranges: Vec<RangeType>,
    /// Sequences that no column owns.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sequences: Vec<Sequence>,
    /// Functions and procedures.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub routines: Vec<Routine>,
    /// What is done by the clock.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub events: Vec<Event>,
    /// Grants on whatever is made later.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub default_grants: Vec<DefaultGrant>,
}

/// A value as JSON, laid out as snapshots are: the outer levels one key a line, lists of records one record a line.
pub fn lined(value: &impl Serialize) -> String {
    lines::to_string(value)
}

impl Schema {
    /// A schema of these tables, put into their order.
    pub fn new(engine: Engine, mut tables: Vec<Table>) -> Schema {
        for table in &mut tables {
            table.engine = engine;
        }
        tables.sort_by(|a, b| a.name.cmp(&b.name));
        Schema { engine, tables: tables.into(), ..Schema::default() }
    }

    /// The table or view of this name.
    pub fn table(&self, table: &str) -> Option<&Table> {
        // The exact spelling is found by bisection; only another case needs the slow way.
        match self.tables.place_of(table) {
            Ok(at) => self.tables.get(at),
            Err(_) if self.engine.tells_case() => None,
            Err(_) => self.tables.iter().find(|known| name::same(&known.name, table)),
        }
    }

    /// Whether the database has no such table: neither read nor left out.
    pub fn lacks(&self, table: &str) -> bool {
        self.table(table).is_none() && !name::contains(&self.outside, table)
    }

    /// Foreign keys at tables that don't exist, each with its table: some engines keep them.
    pub fn dangling_keys(&self) -> impl Iterator<Item = (&Table, &ForeignKey)> {
        let all = self.tables.iter().flat_map(|table| table.foreign_keys.iter().map(move |key| (table, key)));
        all.filter(|(_, key)| self.lacks(&key.table))
    }

    /// The column of this table, where both exist.
    pub fn column(&self, table: &str, column: &str) -> Option<&Column> {
        self.table(table)?.column(column)
    }

    /// Whether both were read from one database, as their catalogues say.
    pub fn same_database(&self, other: &Schema) -> bool {
        matches!((&self.catalogue, &other.catalogue), (Some(a), Some(b)) if a.database == b.database)
    }

    /// What a column's data looks like, where it was measured.
    pub fn fingerprint(&self, table: &str, column: &str) -> Option<&Fingerprint> {
        let key = |f: &Fingerprint| (f.table.clone(), f.column.clone());
        let at = self.fingerprints.binary_search_by_key(&(table.to_owned(), column.to_owned()), key).ok()?;
        self.fingerprints.get(at)
    }

    /// Adds or replaces a table, keeping the order.
    pub fn put(&mut self, mut table: Table) {
        table.engine = self.engine;
        self.remove(&table.name);
        let at = self.tables.place_of(&table.name).unwrap_or_else(|at| at);
        self.tables.insert(at, table);
    }

    /// Takes a table out.
    pub fn remove(&mut self, table: &str) -> Option<Table> {
        let at = self.tables.iter().position(|known| name::same(&known.name, table))?;
        Some(self.tables.remove(at))
    }

    /// Only the tables that match a pattern of `include` and none of `exclude`; the others stay known by name.
    #[must_use]
    pub fn restricted(mut self, include: &[String], exclude: &[String]) -> Schema {
        let wanted = Wanted::new(include, exclude);
        self.outside.extend(self.tables.iter().map(|t| &t.name).filter(|name| !wanted.has(name)).cloned());
        self.tables.retain(|t| wanted.has(&t.name));
        self.outside.sort();
        self
    }

    /// Without tables and columns whose name has the sign in it that stands between schema and name here: they could be
    /// taken for others. What is left out is told as unseen.
    #[must_use]
    pub fn without_mistakable_names(mut self) -> Schema {
        let mut unseen = Vec::new();
        let mut told = |name: String| unseen.push(format!("{name} isn't read: its name has the control character U+001F in it"));
        let odd = |name: &str| name.contains(name::SEPARATOR);
        self.tables.retain(|table| {
            let own = if table.schema.is_some() { name::split_qualified(&table.name).1 } else { &table.name };
            let is_odd = odd(own) || table.schema.as_deref().is_some_and(odd);
            if is_odd {
                told(format!("`{}`", name::plain(&table.name)));
            }
            !is_odd
        });
        let has_odd = |table: &Table| table.columns.iter().any(|c| odd(&c.name));
        self.tables.change(has_odd, |table| {
            table
                .columns
                .iter()
                .filter(|c| odd(&c.name))
                .for_each(|c| told(format!("`{}.{}`", name::plain(&table.name), name::plain(&c.name))));
            table.columns.retain(|c| !odd(&c.name));
            let whole = |columns: &[String]| !columns.iter().any(|c| odd(c));
            if !whole(&table.primary_key) {
                table.primary_key.clear();
            }
            table.uniques.retain(|u| whole(&u.columns));
            table.foreign_keys.retain(|k| whole(&k.columns) && whole(&k.to));
            table.indexes.retain(|i| i.parts.iter().all(|p| p.column.as_deref().is_none_or(|c| !odd(c))));
        });
        self.unseen.extend(unseen);
        self
    }
}

/// Which tables are to be read.
#[derive(Debug)]
pub struct Wanted {
    include: Patterns,
    exclude: Patterns,
    /// Left out in this spelling alone.
    exact: BTreeSet<String>,
}

impl Wanted {
    /// By pattern: those that one of `include` fits, and none of `exclude`.
    pub fn new(include: &[String], exclude: &[String]) -> Wanted {
        // A plain name with capitals means that spelling alone, where an engine has both.
        let is_exact = |pattern: &&String| !pattern.contains(['*', '?', '[', '{']) && pattern.chars().any(char::is_uppercase);
        let (exact, exclude): (Vec<&String>, Vec<&String>) = exclude.iter().partition(is_exact);
        let exclude: Vec<String> = exclude.into_iter().cloned().collect();
        Wanted { include: include.into(), exclude: exclude.into(), exact: exact.into_iter().cloned().collect() }
    }

    /// Whether a table of this name is.
    pub fn has(&self, table: &str) -> bool {
        let table = name::plain(table);
        self.include.fit(&table) && !self.exclude.fit(&table) && !self.exact.contains(&table)
    }
}
