//! A connection as the application would have it, and what it says when something fails.

use rusqlite::config::DbConfig;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, Row, Statement, ffi};
use std::collections::BTreeMap;
use ysomorph_core::refusal::{Refusal, RefusalKind};

/// Switches double-quoted strings off and foreign keys on, as the application would run.
pub fn prepare_connection(connection: &Connection) -> rusqlite::Result<()> {
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DQS_DML, false)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DQS_DDL, false)?;
    connection.pragma_update(None, "foreign_keys", true)
}

/// An error in the words of the engine.
pub(crate) fn plain(error: &rusqlite::Error) -> String {
    match error {
        rusqlite::Error::SqliteFailure(_, Some(message)) => message.clone(),
        other => other.to_string(),
    }
}

/// A value of a row as text.
pub(crate) fn text_at(row: &Row<'_>, at: usize) -> rusqlite::Result<Option<String>> {
    Ok(match row.get_ref(at)? {
        ValueRef::Null => None,
        ValueRef::Text(text) | ValueRef::Blob(text) => Some(String::from_utf8_lossy(text).into_owned()),
        ValueRef::Integer(number) => Some(number.to_string()),
        ValueRef::Real(number) => Some(number.to_string()),
    })
}

/// Gives a statement's named parameters their values; those without one are NULL.
pub(crate) fn bind(statement: &mut Statement<'_>, values: &BTreeMap<String, String>) -> rusqlite::Result<()> {
    for at in 1..=statement.parameter_count() {
        let value = statement.parameter_name(at).and_then(|name| values.get(name.get(1..)?));
        statement.raw_bind_parameter(at, value)?;
    }
    Ok(())
}

/// What an error says of the statement.
pub(crate) fn refused(error: &rusqlite::Error) -> Refusal {
    match error {
        rusqlite::Error::SqlInputError { msg, offset, .. } => Refusal::of_statement(msg, None, usize::try_from(*offset).ok()),
        rusqlite::Error::SqliteFailure(failure, _) => {
            let (kind, message) = (kind_of(failure.extended_code), plain(error));
            // "UNIQUE constraint failed: hive.tag, hive.yard_id", "CHECK constraint failed: hive_weight_check".
            let named = message.split_once("constraint failed: ").map_or("", |(_, named)| named);
            let constraint = (kind == RefusalKind::Check && !named.is_empty()).then(|| named.to_owned());
            let of_columns = matches!(kind, RefusalKind::Taken | RefusalKind::Empty);
            let columns = named.split(", ").filter_map(|name| name.rsplit_once('.')).map(|(_, column)| column.to_owned());
            let columns = if of_columns { columns.collect() } else { Vec::new() };
            Refusal { kind, constraint, columns, ..Refusal::of_statement(message, None, None) }
        }
        other => Refusal::of_statement(plain(other), None, None),
    }
}

/// By the engine's extended result codes.
fn kind_of(code: i32) -> RefusalKind {
    match code {
        ffi::SQLITE_CONSTRAINT_UNIQUE | ffi::SQLITE_CONSTRAINT_PRIMARYKEY | ffi::SQLITE_CONSTRAINT_ROWID => RefusalKind::Taken,
        ffi::SQLITE_CONSTRAINT_NOTNULL => RefusalKind::Empty,
        ffi::SQLITE_CONSTRAINT_FOREIGNKEY => RefusalKind::Reference,
        ffi::SQLITE_CONSTRAINT_CHECK => RefusalKind::Check,
        ffi::SQLITE_CONSTRAINT_TRIGGER => RefusalKind::Own,
        ffi::SQLITE_CONSTRAINT_DATATYPE | ffi::SQLITE_MISMATCH => RefusalKind::WrongValue,
        ffi::SQLITE_TOOBIG => RefusalKind::TooLong,
        // With what else the engine adds in the upper bits.
        other if matches!(other & 0xff, ffi::SQLITE_BUSY | ffi::SQLITE_LOCKED) => RefusalKind::Locked,
        _ => RefusalKind::Statement,
    }
}
