//! A connection as the application would have it, and what it says when something fails.

use rusqlite::Connection;
use rusqlite::config::DbConfig;

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
