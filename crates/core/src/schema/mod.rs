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
mod type_name;

pub use catalogue::{Catalogue, TableNumbers, TrailEntry};
pub use column::{Column, Generated};
pub use fingerprint::{Fingerprint, SAMPLE};
pub use key::{Check, ForeignKey, Index, IndexPart, Unique};
pub use object::{CompositeType, Domain, EnumType, Event, RangeType, Routine, Sequence};
pub use order::in_accepted_order;
pub use rights::{DefaultGrant, Grant, Policy, RowSecurity};
pub use snapshot::{Outline, Snapshot, SnapshotError, snapshot_schema};
pub use table::{Operation, Table, TableKind, Trigger};
pub use type_name::{ColumnType, Kind, TypeRelation};

pub use crate::engine::Engine;
use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A database schema as a value.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Schema {
    /// Where it was read.
    pub engine: Engine,
    /// Tables and views, sorted by name. One outside the home schema has a [qualified](name::qualified) name.
    pub tables: Vec<Table>,
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
        Schema { engine, tables, ..Schema::default() }
    }

    /// The table or view of this name.
    pub fn table(&self, table: &str) -> Option<&Table> {
        // The exact spelling is found by bisection; only another case needs the slow way.
        match self.tables.binary_search_by(|known| known.name.as_str().cmp(table)) {
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
        let (inside, out): (Vec<Table>, Vec<Table>) = self.tables.into_iter().partition(|t| wanted(include, exclude, &t.name));
        self.tables = inside;
        self.outside.extend(out.into_iter().map(|t| t.name));
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
        for table in self.tables.iter_mut().filter(|t| t.columns.iter().any(|c| odd(&c.name))) {
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
        }
        self.unseen.extend(unseen);
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
        self.refuses_chain(table, operation, written, &mut Vec::new())
    }

    /// The same, of a write that others led to: what a key does to the records that point here is prepared with it.
    fn refuses_chain(
        &self,
        table: &Table,
        operation: Operation,
        written: &[&str],
        passed: &mut Vec<(String, Operation, Vec<String>)>,
    ) -> Option<Refusal> {
        let step = (name::fold(&table.name), operation, written.iter().map(|c| name::fold(c)).collect());
        if passed.contains(&step) {
            return None;
        }
        passed.push(step);
        let answers = |t: &&Trigger| t.operations.contains(&operation);
        if table.kind == TableKind::View {
            return match table.triggers.iter().filter(answers).find(|t| t.instead_of) {
                None if table.takes.as_ref().is_some_and(|takes| takes.contains(&operation)) => None,
                None => Some(Refusal::ReadOnlyView),
                Some(trigger) => trigger.broken.clone().map(|message| Refusal::Trigger { trigger: trigger.name.clone(), message }),
            };
        }
        if let Some((trigger, message)) = table.triggers.iter().filter(answers).find_map(|t| Some((t.name.clone(), t.broken.clone()?))) {
            return Some(Refusal::Trigger { trigger, message });
        }
        if self.engine != Engine::Sqlite {
            // Servers keep keys in order themselves: what a key needs can't be dropped while it is there.
            return None;
        }
        let touched = |columns: &[String]| operation != Operation::Update || columns.iter().any(|c| name::contains(written, c));
        for key in table.foreign_keys.iter().filter(|k| touched(&k.columns)) {
            match self.table(&key.table) {
                None if self.lacks(&key.table) => {
                    return Some(Refusal::TargetMissing { from: table.name.clone(), key: key.clone() });
                }
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
        // What happens to the records that point here is a write of their own.
        let mut along = self.references_to(&table.name).filter(|(_, key)| match operation {
            Operation::Delete => true,
            Operation::Update => touched(key.target_columns(table)),
            Operation::Insert => false,
        });
        along.find_map(|(child, key)| {
            let action = if operation == Operation::Delete { &key.on_delete } else { &key.on_update };
            let columns: Vec<&str> = key.columns.iter().map(String::as_str).collect();
            match action.as_deref().map(str::to_ascii_uppercase).as_deref() {
                Some("CASCADE") if operation == Operation::Delete => self.refuses_chain(child, Operation::Delete, &[], passed),
                Some("CASCADE" | "SET NULL" | "SET DEFAULT") => self.refuses_chain(child, Operation::Update, &columns, passed),
                _ => None,
            }
        })
    }
}

/// Whether a table of this name is to be read.
pub fn wanted<S: AsRef<str>>(include: &[S], exclude: &[S], table: &str) -> bool {
    let table = name::plain(table);
    // A plain name with capitals means that spelling alone, where an engine has both.
    let exact = |pattern: &str| !pattern.contains(['*', '?', '[', '{']) && pattern.chars().any(char::is_uppercase);
    let left_out = exclude.iter().any(|p| if exact(p.as_ref()) { p.as_ref() == table } else { name::matches_any(&[p], &table) });
    name::matches_any(include, &table) && !left_out
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
    /// A foreign key points at a table that is gone.
    TargetMissing {
        /// The table that has the key.
        from: String,
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
