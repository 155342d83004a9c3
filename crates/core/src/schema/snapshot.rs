//! A schema as a file: JSON with one line a column, so that version control can merge and show it.

use super::{
    Catalogue, CompositeType, DefaultGrant, Domain, Engine, EnumType, Event, Fingerprint, Objects, RangeType, Routine, Schema, Sequence,
    Table, lines,
};
use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::value::RawValue;
use std::borrow::Cow;
use std::collections::HashSet;

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

impl File<Table> {
    fn into_schema(mut self) -> Result<Schema, SnapshotError> {
        if self.format != 1 {
            return Err(SnapshotError::Format(self.format));
        }
        for table in &mut self.tables {
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
        let mut fingerprints = self.fingerprints;
        fingerprints.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
        Ok(Schema { outside, objects, fingerprints, catalogue: self.catalogue, ..Schema::new(self.engine, self.tables) })
    }
}

impl<T> File<T> {
    /// The same file with other tables.
    fn with_tables<U>(self, tables: Vec<U>) -> File<U> {
        File {
            format: self.format,
            engine: self.engine,
            tables,
            outside: self.outside,
            enums: self.enums,
            domains: self.domains,
            composites: self.composites,
            ranges: self.ranges,
            sequences: self.sequences,
            routines: self.routines,
            events: self.events,
            default_grants: self.default_grants,
            fingerprints: self.fingerprints,
            catalogue: self.catalogue,
        }
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
    /// Tables that the others refer to are kept: what a foreign key means may hang on them.
    ///
    /// # Errors
    /// As [`Schema::from_snapshot`].
    pub fn differing(before: Outline<'_>, after: Outline<'_>) -> Result<(Schema, Schema), SnapshotError> {
        fn split<'b>(file: File<&'b RawValue>, other: &HashSet<&str>) -> Result<(File<Table>, Vec<&'b str>), SnapshotError> {
            let (mut differing, mut same) = (Vec::new(), Vec::new());
            for raw in &file.tables {
                if other.contains(raw.get()) { same.push(raw.get()) } else { differing.push(serde_json::from_str(raw.get())?) }
            }
            Ok((file.with_tables(differing), same))
        }
        let known: HashSet<&str> = before.0.tables.iter().map(|t| t.get()).collect();
        let known_after: HashSet<&str> = after.0.tables.iter().map(|t| t.get()).collect();
        let (mut before, same) = split(before.0, &known_after)?;
        let (mut after, _) = split(after.0, &known)?;
        let wanted: HashSet<String> = before
            .tables
            .iter()
            .chain(&after.tables)
            .flat_map(|t| &t.foreign_keys)
            .map(|k| name::split_qualified(&k.table).1.to_owned())
            .collect();
        for text in same.into_iter().filter(|_| !wanted.is_empty()) {
            if own_name(text).is_some_and(|own| wanted.contains(&own)) {
                let table: Table = serde_json::from_str(text)?;
                before.tables.push(table.clone());
                after.tables.push(table);
            }
        }
        Ok((before.into_schema()?, after.into_schema()?))
    }
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
        serde_json::from_str::<Snapshot>(text)?.into_schema()
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
