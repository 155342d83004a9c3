//! A schema as a file: JSON with one line a column, so that version control can merge and show it.

use super::{Engine, Schema, Table};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};

/// The file's contents.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
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

impl Schema {
    /// Reads a snapshot.
    pub fn from_snapshot(text: &str) -> Result<Schema, SnapshotError> {
        let snapshot: Snapshot = serde_json::from_str(text)?;
        match snapshot.format {
            1 => Ok(Schema { outside: snapshot.outside, ..Schema::new(snapshot.engine, snapshot.tables) }),
            other => Err(SnapshotError::Format(other)),
        }
    }

    /// Writes a snapshot: the same schema gives the same bytes.
    pub fn to_snapshot(&self) -> String {
        let mut out = String::from("{\n  \"format\": 1,\n  \"engine\": ");
        out.push_str(&line(&serde_json::to_value(self.engine)));
        out.push_str(",\n  \"tables\": [");
        for (at, table) in self.tables.iter().enumerate() {
            out.push_str(if at == 0 { "\n    {" } else { ",\n    {" });
            if let Ok(Value::Object(parts)) = serde_json::to_value(table) {
                write_table(&mut out, &parts);
            }
            out.push_str("\n    }");
        }
        out.push_str("\n  ]");
        if !self.outside.is_empty() {
            out.push_str(&format!(",\n  \"outside\": {}", line(&serde_json::to_value(&self.outside))));
        }
        out.push_str("\n}\n");
        out
    }
}

fn write_table(out: &mut String, parts: &Map<String, Value>) {
    for (at, (key, value)) in parts.iter().enumerate() {
        out.push_str(if at == 0 { "\n      " } else { ",\n      " });
        out.push_str(&format!("\"{key}\": "));
        match value {
            Value::Array(items) if items.iter().any(Value::is_object) => {
                out.push('[');
                for (at, item) in items.iter().enumerate() {
                    out.push_str(if at == 0 { "\n        " } else { ",\n        " });
                    out.push_str(&line(&Ok(item.clone())));
                }
                out.push_str("\n      ]");
            }
            other => out.push_str(&line(&Ok(other.clone()))),
        }
    }
}

/// One value on one line, with a space after commas and colons.
fn line(value: &Result<Value, serde_json::Error>) -> String {
    match value {
        Ok(Value::Object(parts)) => {
            let inner: Vec<String> = parts.iter().map(|(k, v)| format!("\"{k}\": {}", line(&Ok(v.clone())))).collect();
            format!("{{ {} }}", inner.join(", "))
        }
        Ok(Value::Array(items)) => format!("[{}]", items.iter().map(|v| line(&Ok(v.clone()))).collect::<Vec<_>>().join(", ")),
        Ok(other) => other.to_string(),
        // Serialising these plain types can't fail.
        Err(_) => "null".to_owned(),
    }
}
