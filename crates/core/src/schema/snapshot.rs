//! A schema as a file: JSON with one line a column, so that version control can merge and show it.

use super::{
    Catalogue, CompositeType, DefaultGrant, Domain, Engine, EnumType, Event, Fingerprint, Objects, RangeType, Routine, Schema, Sequence,
    Table, TableNumbers, lines,
};
use crate::name;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::collections::{HashMap, HashSet};

/// The file's contents: one list a kind.
pub type Snapshot = File<Table>;

/// A snapshot whose tables are read as `T`: whole, or as the text they stand in.
#[derive(Debug, Default, Serialize, Deserialize, JsonSchema)]
#[schemars(rename = "Snapshot")]
pub struct File<T> {
    /// Version of the format.
    pub format: u32,
    /// The engine it was read from.
    pub engine: Engine,
    /// Tables and views, sorted by name.
    pub tables: Vec<T>,
    /// Tables that exist but aren't read.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub outside: Vec<String>,
    // The lists of `Objects` one by one: flattening would read the whole file twice.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    enums: Vec<EnumType>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    domains: Vec<Domain>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    composites: Vec<CompositeType>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    ranges: Vec<RangeType>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    sequences: Vec<Sequence>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    routines: Vec<Routine>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    events: Vec<Event>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    default_grants: Vec<DefaultGrant>,
    /// What the data of measured columns looks like.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub fingerprints: Vec<Fingerprint>,
    /// The catalogue's own numbers, apart from the tables so that these stay comparable between databases.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub catalogue: Option<Catalogue>,
}

/// The lines of a snapshot's data, with the comma before them.
const DATA: &str = ",\n  \"fingerprints\": [";
const DATA_END: &str = "\n  ]";

/// Why a snapshot can't be read.
#[derive(Debug, thiserror::Error)]
pub enum SnapshotError {
    /// Not JSON of the expected form.
    #[error("{0}")]
    Malformed(#[from] serde_json::Error),
    /// A format this program doesn't know.
    #[error("format {0} is newer than this program knows (1)")]
    Format(u32),
}

/// The JSON Schema of a snapshot, as the program publishes it.
pub fn snapshot_schema() -> String {
    let schema = schemars::schema_for!(Snapshot);
    serde_json::to_string_pretty(&schema).map(|text| text + "\n").unwrap_or_default()
}

impl<T> File<T> {
    /// The schema of a file, with these as its tables.
    fn into_schema(self, mut tables: Vec<Table>) -> Result<Schema, SnapshotError> {
        if self.format != 1 {
            return Err(SnapshotError::Format(self.format));
        }
        for table in &mut tables {
            if let Some(schema) = &table.schema {
                table.name = name::qualified(schema, &table.name);
            }
        }
        let objects = Objects {
            enums: self.enums,
            domains: self.domains,
            composites: self.composites,
            ranges: self.ranges,
            sequences: self.sequences,
            routines: self.routines,
            events: self.events,
            default_grants: self.default_grants,
        };
        let outside = self.outside.iter().map(|t| name::read_table(t)).collect();
        // Earlier versions made hashes without a key, from which values can be found: they aren't kept on.
        let mut fingerprints: Vec<Fingerprint> = self.fingerprints.into_iter().filter(|f| !f.key.is_empty()).collect();
        fingerprints.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
        Ok(Schema { outside, objects, fingerprints, catalogue: self.catalogue, ..Schema::new(self.engine, tables) })
    }
}

/// A snapshot read far enough to tell which of its tables stand in another word for word.
pub struct Outline<'a>(File<&'a RawValue>);

impl<'a> Outline<'a> {
    /// Reads the outline.
    ///
    /// # Errors
    /// As [`Schema::from_snapshot`], but for what is wrong inside a table.
    pub fn of(text: &'a str) -> Result<Outline<'a>, SnapshotError> {
        Ok(Outline(serde_json::from_str(text)?))
    }

    /// Two schemas without the tables that stand word for word in both, which comparing them wouldn't mention.
    /// Kept are those that the others refer to, as what a foreign key means may hang on them, and those whose numbers
    /// moved, as another table may have taken the name.
    ///
    /// # Errors
    /// As [`Schema::from_snapshot`].
    pub fn differing(before: Outline<'_>, after: Outline<'_>) -> Result<(Schema, Schema), SnapshotError> {
        let split = |file: &File<&RawValue>, other: &HashSet<&str>| -> Result<Vec<Table>, SnapshotError> {
            let differing = file.tables.iter().filter(|raw| !other.contains(raw.get()));
            differing.map(|raw| Ok(serde_json::from_str(raw.get())?)).collect()
        };
        let known: HashSet<&str> = before.0.tables.iter().map(|t| t.get()).collect();
        let known_after: HashSet<&str> = after.0.tables.iter().map(|t| t.get()).collect();
        let (mut old, mut new) = (split(&before.0, &known_after)?, split(&after.0, &known)?);
        let mut wanted: HashSet<String> =
            old.iter().chain(&new).flat_map(|t| &t.foreign_keys).map(|k| name::split_qualified(&k.table).1.to_owned()).collect();
        wanted.extend(moved(before.0.catalogue.as_ref(), after.0.catalogue.as_ref()));
        for text in before.0.tables.iter().map(|t| t.get()).filter(|t| !wanted.is_empty() && known_after.contains(t)) {
            if own_name(text).is_some_and(|own| wanted.contains(&own)) {
                let table: Table = serde_json::from_str(text)?;
                old.push(table.clone());
                new.push(table);
            }
        }
        Ok((before.0.into_schema(old)?, after.0.into_schema(new)?))
    }
}

/// The tables of one database whose numbers aren't what they were.
fn moved(before: Option<&Catalogue>, after: Option<&Catalogue>) -> Vec<String> {
    let (Some(before), Some(after)) = (before, after) else { return Vec::new() };
    if before.database != after.database {
        return Vec::new();
    }
    let numbers: HashMap<&str, &TableNumbers> = after.tables.iter().map(|t| (t.table.as_str(), t)).collect();
    let same = |t: &&TableNumbers| numbers.get(t.table.as_str()).is_some_and(|now| *now == *t);
    before.tables.iter().filter(|t| !same(t)).map(|t| name::split_qualified(&t.table).1.to_owned()).collect()
}

/// A table's name, without reading the rest.
fn own_name(table: &str) -> Option<String> {
    #[derive(Deserialize)]
    struct Named {
        name: String,
    }
    serde_json::from_str::<Named>(table).ok().map(|t| t.name)
}

impl Schema {
    /// Reads a snapshot.
    ///
    /// # Errors
    /// Where it isn't JSON of the expected form, or of a format this program doesn't know.
    pub fn from_snapshot(text: &str) -> Result<Schema, SnapshotError> {
        let read = |raw: &&RawValue| serde_json::from_str(raw.get()).ok();
        if let Ok(outline) = serde_json::from_str::<File<&RawValue>>(text)
            && let Some(tables) = outline.tables.par_iter().map(read).collect::<Option<Vec<Table>>>()
        {
            return outline.into_schema(tables);
        }
        // What is wrong is told with its place in the file.
        let mut snapshot = serde_json::from_str::<Snapshot>(text)?;
        let tables = std::mem::take(&mut snapshot.tables);
        snapshot.into_schema(tables)
    }

    /// Whether a snapshot's text says the same as this schema, word for word, but for what it knows of data. Quicker than reading
    /// it; one that says the same in other words isn't taken for it.
    pub fn is_word_for_word(&self, snapshot: &str) -> bool {
        let own = self.to_snapshot();
        match snapshot.split_once(DATA) {
            None => own == snapshot,
            Some((head, rest)) => {
                let tail = rest.split_once(DATA_END).map(|(_, tail)| tail);
                tail.is_some_and(|tail| own.strip_prefix(head).is_some_and(|own| own == tail))
            }
        }
    }

    /// Writes a snapshot: the same schema gives the same bytes.
    pub fn to_snapshot(&self) -> String {
        let objects = self.objects.clone();
        let tables = self.tables.iter().map(|table| match name::split_qualified(&table.name) {
            (Some(schema), own) => Cow::Owned(Table { schema: Some(schema.to_owned()), name: own.to_owned(), ..table.clone() }),
            _ => Cow::Borrowed(table),
        });
        lines::to_string(&File {
            format: 1,
            engine: self.engine,
            tables: tables.collect(),
            outside: self.outside.iter().map(|t| name::written(t)).collect(),
            enums: objects.enums,
            domains: objects.domains,
            composites: objects.composites,
            ranges: objects.ranges,
            sequences: objects.sequences,
            routines: objects.routines,
            events: objects.events,
            default_grants: objects.default_grants,
            fingerprints: self.fingerprints.clone(),
            catalogue: self.catalogue.clone(),
        })
    }
}
