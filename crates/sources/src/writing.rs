//! A session that writes: one transaction, wholly or not at all. Only the running application's `--write` opens one.

use crate::reading::{
    ReadError, Values, mariadb_values, on_file, postgres_values, read_mariadb, read_postgres, refused_mariadb, refused_postgres,
};
use crate::{Address, Records, Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use rusqlite::OpenFlags;
use std::time::Duration;
use ysomorph_core::name::quoted;
use ysomorph_core::schema::Engine;
use ysomorph_core::statements::positional;

/// A session that writes.
pub struct Writer(Way);

enum Way {
    File(rusqlite::Connection),
    Postgres(Box<(::postgres::Client, Address)>),
    Mariadb(Box<(mysql::Conn, Address)>),
}

/// A transaction under way.
pub struct Transaction<'w>(Under<'w>);

enum Under<'w> {
    File(&'w rusqlite::Connection),
    Postgres(::postgres::Transaction<'w>, &'w Address),
    Mariadb(&'w mut mysql::Conn, &'w Address),
}

impl Writer {
    /// Opens a session that may write, in which tables are found in the home schema.
    ///
    /// # Errors
    /// Where the database can't be reached, or nobody may write there.
    pub fn open(source: &Source, home: Option<&str>) -> Result<Writer, SourceError> {
        Ok(Writer(match source {
            Source::Sqlite(path) => {
                let failed = |error: rusqlite::Error| SourceError::Open { path: path.clone(), reason: sqlite::plain(&error) };
                // A file that isn't there isn't made.
                let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
                let connection = rusqlite::Connection::open_with_flags(path, flags).map_err(failed)?;
                connection.busy_timeout(Duration::from_secs(5)).map_err(failed)?;
                sqlite::prepare_connection(&connection).map_err(failed)?;
                Way::File(connection)
            }
            Source::Snapshot(path) => {
                let reason = "a snapshot is no database: nothing can be saved in it".to_owned();
                return Err(SourceError::Read { path: path.clone(), reason });
            }
            Source::Server(address) if address.engine == Engine::Postgresql => {
                let mut client = postgres::connect(address)?;
                let mut sql = "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE".to_owned();
                if let Some(home) = home {
                    sql.push_str(&format!("; SET search_path TO {}", quoted(home)));
                }
                client.batch_execute(&sql).map_err(|e| postgres::told(address, &e))?;
                Way::Postgres(Box::new((client, (**address).clone())))
            }
            Source::Server(address) => {
                let mut connection = mariadb::connect(address)?;
                connection.query_drop("SET SESSION TRANSACTION READ WRITE").map_err(|e| mariadb::told(address, &e))?;
                Way::Mariadb(Box::new((connection, (**address).clone())))
            }
        }))
    }

    /// Does something in one transaction, which is given up where it fails, or where `work` says that it shouldn't end well.
    ///
    /// # Errors
    /// Where the database refuses a statement or the end of the transaction, or can't be asked.
    pub fn save<T, E: From<ReadError>>(&mut self, work: impl FnOnce(&mut Transaction<'_>) -> Result<T, E>) -> Result<T, E> {
        match &mut self.0 {
            Way::File(connection) => {
                let refused = |error: rusqlite::Error| E::from(ReadError::Refused(sqlite::refused(&error)));
                let transaction = connection.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate).map_err(refused)?;
                let outcome = work(&mut Transaction(Under::File(&transaction)))?;
                transaction.commit().map_err(refused)?;
                Ok(outcome)
            }
            Way::Postgres(session) => {
                let (client, address) = &mut **session;
                let transaction = client.transaction().map_err(|e| E::from(refused_postgres(address, &e)))?;
                let mut under = Transaction(Under::Postgres(transaction, address));
                let outcome = work(&mut under)?;
                if let Transaction(Under::Postgres(transaction, address)) = under {
                    transaction.commit().map_err(|e| E::from(refused_postgres(address, &e)))?;
                }
                Ok(outcome)
            }
            Way::Mariadb(session) => {
                let (connection, address) = &mut **session;
                let told = |address: &Address, e: mysql::Error| E::from(refused_mariadb(address, e));
                connection.query_drop("START TRANSACTION").map_err(|e| told(address, e))?;
                let outcome = work(&mut Transaction(Under::Mariadb(connection, address)));
                let end = if outcome.is_ok() { "COMMIT" } else { "ROLLBACK" };
                let ended = connection.query_drop(end).map_err(|e| told(address, e));
                outcome.and_then(|outcome| ended.map(|()| outcome))
            }
        }
    }
}

impl Transaction<'_> {
    /// Runs one statement; gives how many records it changed.
    ///
    /// # Errors
    /// Where the database refuses it, or can't be asked.
    pub fn run(&mut self, sql: &str, values: &Values) -> Result<u64, ReadError> {
        match &mut self.0 {
            Under::File(connection) => {
                let run = || -> rusqlite::Result<usize> {
                    let mut statement = connection.prepare(sql)?;
                    sqlite::bind(&mut statement, values)?;
                    statement.raw_execute()
                };
                let changed = run().map_err(|error| ReadError::Refused(sqlite::refused(&error)))?;
                Ok(u64::try_from(changed).unwrap_or(u64::MAX))
            }
            Under::Postgres(transaction, address) => {
                let (sql, names, _) = positional(sql, Engine::Postgresql);
                let (texts, types) = postgres_values(&names, values);
                let statement = transaction.prepare_typed(&sql, &types).map_err(|e| refused_postgres(address, &e))?;
                let given: Vec<&(dyn ::postgres::types::ToSql + Sync)> = texts.iter().map(|text| text as _).collect();
                transaction.execute(&statement, &given).map_err(|e| refused_postgres(address, &e))
            }
            Under::Mariadb(connection, address) => {
                let (sql, names, _) = positional(sql, Engine::Mariadb);
                connection.exec_drop(&sql, mariadb_values(&names, values)).map_err(|e| refused_mariadb(address, e))?;
                Ok(connection.affected_rows())
            }
        }
    }

    /// Does something that is taken back alone where it fails.
    ///
    /// # Errors
    /// What `work` gives; the transaction goes on from where it was before.
    pub fn apart<T, E: From<ReadError>>(&mut self, work: impl FnOnce(&mut Transaction<'_>) -> Result<T, E>) -> Result<T, E> {
        self.plainly("SAVEPOINT apart")?;
        let outcome = work(self);
        self.plainly(if outcome.is_ok() { "RELEASE SAVEPOINT apart" } else { "ROLLBACK TO SAVEPOINT apart" })?;
        outcome
    }

    fn plainly(&mut self, sql: &str) -> Result<(), ReadError> {
        match &mut self.0 {
            Under::File(connection) => connection.execute_batch(sql).map_err(|error| ReadError::Refused(sqlite::refused(&error))),
            Under::Postgres(transaction, address) => transaction.batch_execute(sql).map_err(|e| refused_postgres(address, &e)),
            Under::Mariadb(connection, address) => connection.query_drop(sql).map_err(|e| refused_mariadb(address, e)),
        }
    }

    /// Runs one statement whose columns are all text, and gives its records.
    ///
    /// # Errors
    /// Where the database refuses it, or can't be asked.
    pub fn read(&mut self, sql: &str, values: &Values) -> Result<Records, ReadError> {
        match &mut self.0 {
            Under::File(connection) => on_file(connection, sql, values).map_err(ReadError::Refused),
            Under::Postgres(transaction, address) => read_postgres(transaction, address, sql, values),
            Under::Mariadb(connection, address) => read_mariadb(connection, address, sql, values),
        }
    }
}
