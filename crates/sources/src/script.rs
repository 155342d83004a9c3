//! Making and changing a database by a script: for demos. Everything else in this crate only looks.

use crate::server::{ServerError, Trouble, bounded};
use crate::{Address, Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use ysomorph_core::name;
use ysomorph_core::schema::Engine;

/// Runs a script, in one transaction where the engine can.
///
/// # Errors
/// What the database said of it.
pub fn run_script(source: &Source, script: &str) -> Result<(), SourceError> {
    match source {
        Source::Sqlite(path) => sqlite::run_script(path, script),
        Source::Snapshot(path) => Err(SourceError::Open { path: path.clone(), reason: "a snapshot can't be changed".to_owned() }),
        Source::Server(address) => Ok(on_server(address, script.to_owned())?),
    }
}

/// Makes the database of a server's address, if it isn't there.
///
/// # Errors
/// What the server said of it.
pub fn create_database(source: &Source) -> Result<(), SourceError> {
    let Source::Server(address) = source else { return Ok(()) };
    let missing = match on_server(address, "SELECT 1".to_owned()) {
        Ok(()) => return Ok(()),
        Err(error) => error,
    };
    if missing.trouble != Trouble::NoDatabase {
        return Err(missing.into());
    }
    let elsewhere = |database: &str| address.with_database(database);
    match address.engine {
        Engine::Postgresql => on_server(&elsewhere("postgres"), format!("CREATE DATABASE {}", name::quoted(&address.database)))?,
        _ => on_server(&elsewhere("information_schema"), format!("CREATE DATABASE {}", mariadb::quoted(&address.database)))?,
    }
    Ok(())
}

/// Sessions that read are read-only; this one is to write.
fn on_server(address: &Address, script: String) -> Result<(), ServerError> {
    if address.engine == Engine::Postgresql {
        return bounded(address, postgres::connect, move |mut client, address| {
            // A text of its own: several statements in one text are one transaction, which began read-only.
            let writable = "SET SESSION CHARACTERISTICS AS TRANSACTION READ WRITE; SET client_min_messages = warning";
            client.batch_execute(writable).and_then(|()| client.batch_execute(&script)).map_err(|e| postgres::told(address, &e))
        });
    }
    bounded(address, mariadb::connect, move |mut connection, address| {
        let mut run = |sql: &str| connection.query_drop(sql).map_err(|e| mariadb::told(address, &e));
        run("SET SESSION TRANSACTION READ WRITE")?;
        run(&script)
    })
}
