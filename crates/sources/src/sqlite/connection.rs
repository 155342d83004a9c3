//! A connection as the application would have it, and what it says when something fails.

use rusqlite::config::DbConfig;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, Row, Statement};
use std::collections::BTreeMap;
use ysomorph_core::rehearsal::Refusal;

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
        rusqlite::Error::SqlInputError { msg, offset, .. } => {
            Refusal { message: msg.clone(), code: None, at: usize::try_from(*offset).ok() }
        }
        other => Refusal { message: plain(other), code: None, at: None },
    }
}
