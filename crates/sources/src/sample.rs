//! A few records of a page, read as people would see them: in a read-only session that is given up at once.

use crate::server::{ServerError, bounded};
use crate::{Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use ysomorph_core::schema::Engine;

/// Records: a text, or nothing, for each column.
pub type Records = Vec<Vec<Option<String>>>;

/// Runs one SELECT whose columns are all text.
///
/// # Errors
/// Where the database can't be asked, or refuses the statement.
pub fn sample(source: &Source, sql: &str) -> Result<Records, SourceError> {
    match source {
        Source::Sqlite(path) => sqlite::look(path, |looked| {
            let connection = looked.connect()?;
            let read = || -> rusqlite::Result<Records> {
                let mut statement = connection.prepare(sql)?;
                let count = statement.column_count();
                let rows = statement.query_map([], |row| (0..count).map(|at| sqlite::text_at(row, at)).collect())?;
                rows.collect()
            };
            read().map_err(|error| SourceError::Read { path: path.clone(), reason: error.to_string() })
        }),
        Source::Snapshot(path) => {
            Err(SourceError::Read { path: path.clone(), reason: "a snapshot is no database: it has no records".to_owned() })
        }
        Source::Server(address) => Ok(on_server(address, sql.to_owned())?),
    }
}

fn on_server(address: &crate::Address, sql: String) -> Result<Records, ServerError> {
    if address.engine == Engine::Postgresql {
        return bounded(address, postgres::connect, move |mut client, address| {
            let mut transaction = client.build_transaction().read_only(true).start().map_err(|e| postgres::told(address, &e))?;
            let rows = transaction.query(&sql, &[]).map_err(|e| postgres::told(address, &e))?;
            Ok(rows.iter().map(|row| (0..row.len()).map(|at| row.get::<_, Option<String>>(at)).collect()).collect())
        });
    }
    bounded(address, mariadb::connect, move |mut connection, address| {
        let rows: Vec<mysql::Row> = connection.query(&sql).map_err(|e| mariadb::told(address, &e))?;
        Ok(rows.into_iter().map(|row| row.unwrap().into_iter().map(mariadb::text_of).collect()).collect())
    })
}
