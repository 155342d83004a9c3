//! MariaDB, and MySQL by the same protocol: the information schema, asked with a constant schema name and joined here.
//!
//! Joins on the server are slow there, so each list comes by a question of its own; their number doesn't depend on
//! the database, views and sequences aside. The session is read-only (`START TRANSACTION READ ONLY` would let
//! definitions be changed).

mod ask;
mod build;
mod error;
mod lists;
mod objects;
mod types;

use crate::address::{Address, Tls};
use crate::server::{ServerError, Trouble, bounded, expanded};
use ask::{Ask, Row};
pub(crate) use ask::{quoted, told};
use build::Builder;
pub(crate) use error::refusal;
use lists::Lists;
use mysql::consts::CapabilityFlags;
use mysql::prelude::Queryable;
use mysql::{Conn, DriverError, Error, OptsBuilder, SslOpts};
use std::time::Duration;
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
        // A save that changes nothing concerns the record all the same: counted are the records found.
        .additional_capabilities(CapabilityFlags::CLIENT_FOUND_ROWS)
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

/// A value that was asked for as text.
pub(crate) fn text_of(value: mysql::Value) -> Option<String> {
    match value {
        mysql::Value::NULL => None,
        mysql::Value::Bytes(bytes) => Some(String::from_utf8_lossy(&bytes).into_owned()),
        other => Some(other.as_sql(true)),
    }
}
