//! A few records of a page, as the database gives them.

use std::collections::BTreeMap;
use ysomorph_core::schema::{Engine, Schema};
use ysomorph_core::sql::parameters;
use ysomorph_core::statements::{Statement, with_values};
use ysomorph_sources::{Records, Source, sample};

/// Why there are none.
pub enum NoRecords {
    /// The SQL names a value that only whoever is signed in has.
    Missing(String),
    /// The database says no.
    Refused(String),
}

/// Reads what a statement gives, written in the dialect of the source whatever engine the definition was made for.
pub fn records(
    source: &Source,
    known: &Schema,
    values: &BTreeMap<String, String>,
    statement: impl FnOnce(&Schema) -> Statement,
) -> Result<Records, NoRecords> {
    let engine: Engine = source.engine();
    let dialect = Schema { engine, ..known.clone() };
    let statement = statement(&dialect);
    let is_open = |name: &str| !values.contains_key(name) && !["today", "now"].contains(&name);
    if let Some((_, name)) = parameters(&statement.sql, engine).into_iter().find(|(_, name)| is_open(name)) {
        return Err(NoRecords::Missing(name));
    }
    sample(source, &with_values(&statement.sql, engine, values)).map_err(|error| NoRecords::Refused(error.to_string()))
}
