//! An open session that only reads: the statements of pages, with the values of their parameters.
//!
//! Values are never part of a statement's text: each is handed over by the engine's own parameters, as text that the
//! engine converts to the type it expects there.

use crate::server::ServerError;
use crate::{Address, Records, Source, SourceError, mariadb, postgres, sqlite};
use bytes::BytesMut;
use mysql::prelude::Queryable;
use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::{Duration, Instant};
use tokio_postgres::types::{Format, IsNull, ToSql, Type, to_sql_checked};
use ysomorph_core::name::quoted;
use ysomorph_core::refusal::Refusal;
use ysomorph_core::schema::Engine;
use ysomorph_core::statements::positional;

/// Values by the names of parameters. A parameter without one is NULL.
pub type Values = BTreeMap<String, String>;

/// How long a file's database may take for one statement. A server has the time-out of its address.
const PATIENCE: Duration = Duration::from_secs(30);

/// Why nothing was read.
#[derive(Debug, thiserror::Error)]
pub enum ReadError {
    /// The database doesn't take the statement.
    #[error("{}", .0.message)]
    Refused(Refusal),
    /// The database can't be asked.
    #[error(transparent)]
    Lost(#[from] SourceError),
}

impl From<ServerError> for ReadError {
    fn from(error: ServerError) -> ReadError {
        ReadError::Lost(error.into())
    }
}

/// An open session.
pub struct Reader(Way);

enum Way {
    /// A file is opened anew each time: that costs nothing, and sees what was saved meanwhile.
    File(PathBuf),
    Postgres(Box<(::postgres::Client, Address)>),
    Mariadb(Box<(mysql::Conn, Address)>),
}

impl std::fmt::Debug for Reader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match &self.0 {
            Way::File(_) => "Reader(file)",
            Way::Postgres(_) => "Reader(postgresql)",
            Way::Mariadb(_) => "Reader(mariadb)",
        })
    }
}

impl Reader {
    /// Opens a session in which tables are found in the home schema.
    ///
    /// # Errors
    /// Where the database can't be reached. A snapshot is none.
    pub fn open(source: &Source, home: Option<&str>) -> Result<Reader, SourceError> {
        Ok(Reader(match source {
            Source::Sqlite(path) => {
                sqlite::look(path, |looked| looked.connect().map(drop))?;
                Way::File(path.clone())
            }
            Source::Snapshot(path) => {
                let reason = "a snapshot is no database: it has no records".to_owned();
                return Err(SourceError::Read { path: path.clone(), reason });
            }
            Source::Server(address) if address.engine == Engine::Postgresql => {
                let mut client = postgres::connect(address)?;
                if let Some(home) = home {
                    let sql = format!("SET search_path TO {}", quoted(home));
                    client.batch_execute(&sql).map_err(|e| postgres::told(address, &e))?;
                }
                Way::Postgres(Box::new((client, (**address).clone())))
            }
            Source::Server(address) => {
                let mut connection = mariadb::connect(address)?;
                let seconds = address.read_timeout.as_secs().max(1);
                // MySQL counts in its own way; there the bound of the driver has to do.
                let _ = connection.query_drop(format!("SET SESSION max_statement_time = {seconds}"));
                Way::Mariadb(Box::new((connection, (**address).clone())))
            }
        }))
    }

    /// Runs one SELECT whose columns are all text.
    ///
    /// # Errors
    /// Where the database refuses it, or can't be asked any more: then the session is of no more use.
    pub fn read(&mut self, sql: &str, values: &Values) -> Result<Records, ReadError> {
        match &mut self.0 {
            Way::File(path) => match sqlite::look(path, |looked| Ok(bounded_on_file(looked.connect()?, sql, values)))? {
                Ok(records) => Ok(records),
                Err(error) => Err(ReadError::Refused(error)),
            },
            Way::Postgres(session) => on_postgres(&mut session.0, &session.1, sql, values),
            Way::Mariadb(session) => read_mariadb(&mut session.0, &session.1, sql, values),
        }
    }
}

/// Reads from a file's database, no longer than its patience lasts.
fn bounded_on_file(mut connection: rusqlite::Connection, sql: &str, values: &Values) -> Result<Records, Refusal> {
    let begun = Instant::now();
    let _ = connection.progress_handler(10_000, Some(move || begun.elapsed() > PATIENCE));
    on_file(&connection, sql, values)
}

/// Reads from a file's database.
pub(crate) fn on_file(connection: &rusqlite::Connection, sql: &str, values: &Values) -> Result<Records, Refusal> {
    let read = || -> rusqlite::Result<Records> {
        let mut statement = connection.prepare(sql)?;
        sqlite::bind(&mut statement, values)?;
        let count = statement.column_count();
        let mut rows = statement.raw_query();
        let mut records = Records::new();
        while let Some(row) = rows.next()? {
            records.push((0..count).map(|at| sqlite::text_at(row, at)).collect::<rusqlite::Result<_>>()?);
        }
        Ok(records)
    };
    read().map_err(|error| sqlite::refused(&error))
}

/// A value as the text that the engine reads its own type from.
#[derive(Debug)]
pub(crate) struct Text<'a>(Option<&'a str>);

impl ToSql for Text<'_> {
    fn to_sql(&self, _: &Type, out: &mut BytesMut) -> Result<IsNull, Box<dyn std::error::Error + Sync + Send>> {
        Ok(match self.0 {
            Some(text) => {
                out.extend_from_slice(text.as_bytes());
                IsNull::No
            }
            None => IsNull::Yes,
        })
    }

    fn accepts(_: &Type) -> bool {
        true
    }

    fn encode_format(&self, _: &Type) -> Format {
        Format::Text
    }

    to_sql_checked!();
}

/// The values of a statement's parameters, with their types as far as they are known.
pub(crate) fn postgres_values<'v>(names: &[String], values: &'v Values) -> (Vec<Text<'v>>, Vec<Type>) {
    let texts = names.iter().map(|name| Text(values.get(name).map(String::as_str))).collect();
    (texts, names.iter().map(|name| postgres::parameter_type(name)).collect())
}

/// What an error means: the statement is refused, or the session is lost.
pub(crate) fn refused_postgres(address: &Address, error: &::postgres::Error) -> ReadError {
    match error.as_db_error() {
        Some(refused) => {
            let code = refused.code().code();
            // A session that is ended or out of time says so by an error of the database too.
            if code.starts_with("57P") || code.starts_with("08") {
                return postgres::told(address, error).into();
            }
            ReadError::Refused(postgres::refusal(refused))
        }
        None => postgres::told(address, error).into(),
    }
}

fn on_postgres(client: &mut ::postgres::Client, address: &Address, sql: &str, values: &Values) -> Result<Records, ReadError> {
    let told = |error: ::postgres::Error| refused_postgres(address, &error);
    let mut transaction = client.build_transaction().read_only(true).start().map_err(told)?;
    let records = read_postgres(&mut transaction, address, sql, values)?;
    transaction.rollback().map_err(told)?;
    Ok(records)
}

/// Reads in a transaction.
pub(crate) fn read_postgres(
    transaction: &mut ::postgres::Transaction<'_>,
    address: &Address,
    sql: &str,
    values: &Values,
) -> Result<Records, ReadError> {
    let (sql, names, _) = positional(sql, Engine::Postgresql);
    let (texts, types) = postgres_values(&names, values);
    let given: Vec<(&(dyn ToSql + Sync), Type)> = texts.iter().map(|text| text as &(dyn ToSql + Sync)).zip(types).collect();
    let rows = transaction.query_typed(&sql, &given).map_err(|e| refused_postgres(address, &e))?;
    Ok(rows.iter().map(|row| (0..row.len()).map(|at| row.get::<_, Option<String>>(at)).collect()).collect())
}

/// The values of a statement's parameters, in their order.
pub(crate) fn mariadb_values(names: &[String], values: &Values) -> mysql::Params {
    let value = |name: &String| values.get(name).map_or(mysql::Value::NULL, |text| mysql::Value::Bytes(text.clone().into_bytes()));
    if names.is_empty() { mysql::Params::Empty } else { mysql::Params::Positional(names.iter().map(value).collect()) }
}

/// What an error means: the statement is refused, or the session is lost.
pub(crate) fn refused_mariadb(address: &Address, error: mysql::Error) -> ReadError {
    match error {
        mysql::Error::MySqlError(refused) => ReadError::Refused(mariadb::refusal(&refused)),
        other => mariadb::told(address, &other).into(),
    }
}

/// Reads over an open session.
pub(crate) fn read_mariadb(connection: &mut mysql::Conn, address: &Address, sql: &str, values: &Values) -> Result<Records, ReadError> {
    let (sql, names, _) = positional(sql, Engine::Mariadb);
    let rows: Vec<mysql::Row> = connection.exec(&sql, mariadb_values(&names, values)).map_err(|e| refused_mariadb(address, e))?;
    Ok(rows.into_iter().map(|row| row.unwrap().into_iter().map(mariadb::text_of).collect()).collect())
}
