//! MariaDB, and MySQL by the same protocol: the information schema, asked with a constant schema name and joined here.
//!
//! Joins on the server are slow there, so each list comes by a question of its own; their number doesn't depend on
//! the database, views and sequences aside. The session is read-only (`START TRANSACTION READ ONLY` would let
//! definitions be changed).

mod build;
mod lists;
mod objects;
mod types;

use crate::address::{Address, Tls};
use crate::server::{ServerError, Trouble, bounded, expanded, of_io};
use build::Builder;
use lists::Lists;
use mysql::prelude::Queryable;
use mysql::{Conn, DriverError, Error, OptsBuilder, SslOpts, Value};
use std::time::Duration;
use ysomorph_core::name;
use ysomorph_core::schema::{Engine, Schema};

/// Reads these databases, home first; none stands for the one the address names.
pub(crate) fn read(address: &Address, schemas: &[String]) -> Result<Schema, ServerError> {
    let schemas = if schemas.is_empty() { vec![address.database.clone()] } else { schemas.to_vec() };
    bounded(address, connect, move |mut connection, address| read_from(&mut connection, address, &schemas))
}

/// A session that can't write, with limits on waiting.
pub(crate) fn connect(address: &Address) -> Result<Conn, ServerError> {
    let socket = address.host.starts_with('/');
    let options = OptsBuilder::new()
        .ip_or_hostname((!socket).then(|| address.host.trim_matches(['[', ']']).to_owned()))
        .socket(socket.then(|| address.host.clone()))
        .prefer_socket(false)
        .tcp_port(address.port)
        .user(Some(&address.user))
        .pass(address.password())
        .db_name(Some(&address.database))
        .tcp_connect_timeout(Some(address.connect_timeout))
        .read_timeout(Some(address.read_timeout))
        .write_timeout(Some(Duration::from_secs(10)))
        .init(vec!["SET SESSION TRANSACTION READ ONLY", "SET SESSION lock_wait_timeout = 5"]);
    let told = |error: Error| told(address, &error);
    let verified = |file: &Option<std::path::PathBuf>| {
        let tls = SslOpts::default();
        file.as_ref().map_or(tls.clone(), |file| tls.with_root_cert_path(Some(file.clone())))
    };
    match &address.tls {
        _ if socket => Conn::new(options).map_err(told),
        Tls::Off => Conn::new(options).map_err(told),
        Tls::Verify(file) => Conn::new(options.ssl_opts(Some(verified(file)))).map_err(told),
        Tls::Prefer => {
            let any = SslOpts::default().with_danger_accept_invalid_certs(true).with_danger_skip_domain_validation(true);
            match Conn::new(options.clone().ssl_opts(Some(any))) {
                Err(Error::DriverError(DriverError::TlsNotSupported) | Error::TlsError(_)) => Conn::new(options).map_err(told),
                other => other.map_err(told),
            }
        }
    }
}

fn read_from(connection: &mut Conn, address: &Address, schemas: &[String]) -> Result<Schema, ServerError> {
    let mut ask = Ask { connection, address };
    let version = ask.text("SELECT VERSION()")?;
    let engine = if version.to_lowercase().contains("mariadb") { Engine::Mariadb } else { Engine::Mysql };
    // The server's own limit too, so that nothing goes on there when nobody waits any more.
    let seconds = address.read_timeout.as_secs().max(1);
    ask.rows(&match engine {
        Engine::Mariadb => format!("SET SESSION max_statement_time = {seconds}"),
        _ => format!("SET SESSION max_execution_time = {}", seconds * 1000),
    })?;
    let there: Vec<String> = ask
        .rows("SELECT SCHEMA_NAME FROM information_schema.SCHEMATA WHERE SCHEMA_NAME NOT IN ('mysql', 'sys', 'information_schema', 'performance_schema')")?
        .into_iter()
        .filter_map(|row| row.into_iter().next().flatten())
        .collect();
    let schemas = expanded(schemas, &there);
    let home = schemas.first().cloned().unwrap_or_default();
    let mut builder = Builder::new(engine, &home);
    for schema in &schemas {
        if !there.iter().any(|s| s == schema) {
            let message = format!("it has no database `{schema}`, or {} may not see it", address.user);
            return Err(ServerError::new(address, Trouble::NoSchema(there), &message));
        }
        let lists = Lists::read(&mut ask, engine, schema)?;
        builder.add(schema, &lists).map_err(|hidden| ServerError::new(address, Trouble::Denied, &hidden))?;
    }
    for (schema, view) in builder.views() {
        // A view over something gone stays, and can't be read; only preparing it tells.
        let sql = format!("SELECT * FROM {}.{}", quoted(&schema), quoted(&view));
        if let Err(Error::MySqlError(error)) = ask.connection.prep(sql)
            && !matches!(error.code, 1142 | 1143 | 1044 | 1045)
        {
            builder.broken(&schema, &view, &error.message);
        }
    }
    let mut schema = builder.finish();
    schema.unseen.extend(unseen(&ask.rows("SHOW GRANTS")?, &home, &address.user));
    schema.home = Some(home);
    Ok(schema)
}

/// What the user may not see at all: the server doesn't show it rather than refuse it.
fn unseen(grants: &[Row], home: &str, user: &str) -> Vec<String> {
    let grants: Vec<String> = grants.iter().flatten().flatten().map(|g| g.to_uppercase()).collect();
    let here = [" ON *.* ".to_owned(), format!(" ON {}.* ", quoted(home).to_uppercase())];
    // Patterns and roles may give more than can be told from here: then nothing is said.
    if grants.iter().any(|g| g.contains('%') && !g.contains("@`%`") && !g.contains("@'%'")) || grants.iter().any(|g| !g.contains(" ON ")) {
        return Vec::new();
    }
    let may =
        |right: &str| grants.iter().any(|g| here.iter().any(|h| g.contains(h)) && (g.contains("ALL PRIVILEGES") || g.contains(right)));
    let hidden = [("TRIGGER", "triggers"), ("EVENT", "events"), ("EXECUTE", "routines")];
    let hidden: Vec<(&str, &str)> = hidden.into_iter().filter(|(right, _)| !may(right)).collect();
    if hidden.is_empty() {
        return Vec::new();
    }
    let (rights, things): (Vec<&str>, Vec<&str>) = hidden.into_iter().unzip();
    vec![format!("{} of `{home}` can't be seen by {user}: it has no {} right on it", things.join(", "), rights.join(", "))]
}

/// Asks one question at a time.
pub(super) struct Ask<'a> {
    connection: &'a mut Conn,
    address: &'a Address,
}

/// A row: each value as text.
pub(super) type Row = Vec<Option<String>>;

impl Ask<'_> {
    /// The rows of a question.
    pub fn rows(&mut self, sql: &str) -> Result<Vec<Row>, ServerError> {
        let address = self.address;
        let failed = |error: Error| told(address, &error);
        let mut rows = Vec::new();
        for row in self.connection.query_iter(sql).map_err(failed)? {
            rows.push(row.map_err(failed)?.unwrap().into_iter().map(text).collect());
        }
        Ok(rows)
    }

    fn text(&mut self, sql: &str) -> Result<String, ServerError> {
        Ok(self.rows(sql)?.into_iter().flatten().next().flatten().unwrap_or_default())
    }
}

fn text(value: Value) -> Option<String> {
    match value {
        Value::NULL => None,
        Value::Bytes(bytes) => Some(String::from_utf8(bytes).unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned())),
        other => Some(other.as_sql(true).trim_matches('\'').to_owned()),
    }
}

/// A quoted identifier.
pub(crate) fn quoted(identifier: &str) -> String {
    name::quoted_for(identifier, Engine::Mariadb)
}

/// A string in SQL.
pub(super) fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\\', "\\\\").replace('\'', "''"))
}

/// A driver's error in plain words.
pub(crate) fn told(address: &Address, error: &Error) -> ServerError {
    let (trouble, message) = match error {
        Error::MySqlError(e) => {
            let trouble = match e.code {
                1045 | 1698 | 1130 | 1251 => Trouble::Login,
                1049 => Trouble::NoDatabase,
                1044 | 1142 | 1143 | 1227 | 1370 | 1356 => Trouble::Denied,
                1205 | 1213 => Trouble::Locked,
                1969 | 3024 => Trouble::TooSlow,
                1053 | 1927 | 4031 => Trouble::Lost,
                _ => Trouble::Other,
            };
            (trouble, e.message.clone())
        }
        Error::IoError(io) => (of_io(io), io.to_string()),
        Error::DriverError(DriverError::ConnectTimeout | DriverError::Timeout) => (Trouble::Hangs, "no answer in time".to_owned()),
        Error::DriverError(DriverError::CouldNotConnect(inner)) => {
            let message = inner.as_ref().map_or_else(String::new, |(_, message, _)| message.clone());
            let refused = message.contains("refused") || message.is_empty();
            (if refused { Trouble::Refused } else { Trouble::Other }, if message.is_empty() { error.to_string() } else { message })
        }
        Error::DriverError(DriverError::TlsNotSupported) => (Trouble::Tls, "the server doesn't offer encryption".to_owned()),
        Error::TlsError(e) => (Trouble::Tls, e.to_string()),
        Error::CodecError(e) => (Trouble::Lost, e.to_string()),
        other => (Trouble::Other, other.to_string()),
    };
    ServerError::new(address, trouble, &message)
}
