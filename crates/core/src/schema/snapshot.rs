//! A schema as a file: JSON with one line a column, so that version control can merge and show it.

use super::{
    Catalogue, CompositeType, DefaultGrant, Domain, Engine, EnumType, Event, Objects, RangeType, Routine, Schema, Sequence, Table, lines,
};
use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The file's contents: one list a kind.
#[derive(Debug, Default, Serialize, Deserialize, JsonSchema)]
pub struct Snapshot {
    /// Version of the format.
    pub format: u32,
    /// The engine it was read from.
    pub engine: Engine,
    /// Tables and views, sorted by name.
    pub tables: Vec<Table>,
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

impl Schema {
    /// Reads a snapshot.
    pub fn from_snapshot(text: &str) -> Result<Schema, SnapshotError> {
        let mut snapshot: Snapshot = serde_json::from_str(text)?;
        if snapshot.format != 1 {
            return Err(SnapshotError::Format(snapshot.format));
        }
        for table in &mut snapshot.tables {
            if let Some(schema) = &table.schema {
                table.name = name::qualified(schema, &table.name);
            }
        }
        let objects = Objects {
            enums: snapshot.enums,
            domains: snapshot.domains,
            composites: snapshot.composites,
            ranges: snapshot.ranges,
            sequences: snapshot.sequences,
            routines: snapshot.routines,
            events: snapshot.events,
            default_grants: snapshot.default_grants,
        };
        let outside = snapshot.outside.iter().map(|t| name::read_table(t)).collect();
        Ok(Schema { outside, objects, catalogue: snapshot.catalogue, ..Schema::new(snapshot.engine, snapshot.tables) })
    }

    /// Writes a snapshot: the same schema gives the same bytes.
    pub fn to_snapshot(&self) -> String {
        let objects = self.objects.clone();
        let tables = self.tables.iter().map(|table| {
            let mut table = table.clone();
            if let (Some(schema), own) = name::split_qualified(&table.name) {
                (table.schema, table.name) = (Some(schema.to_owned()), own.to_owned());
            }
            table
        });
        lines::to_string(&Snapshot {
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
            catalogue: self.catalogue.clone(),
        })
    }
}
