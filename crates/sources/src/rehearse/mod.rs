//! Rehearsing statements: the real database is asked whether it would take them. Nothing is ever run.
//!
//! PostgreSQL explains each, which checks the grants; the session is read-only. MariaDB checks grants when it
//! prepares; writes are prepared in a session of their own, as a read-only one refuses even that. SQLite prepares on a
//! connection that can't write. All are asked by the protocol's own prepare: what stands behind a semicolon is refused.

mod line;
mod postgresql;

pub use line::Line;

use crate::server::{ServerError, Trouble, bounded};
use crate::{Address, Source, SourceError, mariadb, sqlite};
use mysql::prelude::Queryable;
use std::collections::BTreeMap;
use ysomorph_core::refusal::Refusal;
use ysomorph_core::schema::Engine;
use ysomorph_core::sql::statements;
use ysomorph_core::statements::positional;

/// Asks the database about each statement, once where several are alike; under a role's own grants where one is named.
///
/// # Errors
/// Where the database can't be asked, or doesn't know the role.
pub fn rehearse(source: &Source, lines: &[Line], role: Option<&str>) -> Result<Vec<Option<Refusal>>, SourceError> {
    let mut places: BTreeMap<&Line, usize> = BTreeMap::new();
    let mut once: Vec<Line> = Vec::new();
    for line in lines {
        places.entry(line).or_insert_with(|| {
            once.push(line.clone());
            once.len() - 1
        });
    }
    let outcomes = match source {
        Source::Sqlite(path) => sqlite::look(path, |looked| on_sqlite(looked, &once))?,
        Source::Snapshot(path) => {
            let reason = "a snapshot is no database: nothing can be rehearsed on it".to_owned();
            return Err(SourceError::Read { path: path.clone(), reason });
        }
        Source::Server(address) if address.engine == Engine::Postgresql => postgresql::rehearse(address, once, role.map(str::to_owned))?,
        Source::Server(address) => on_mariadb(address, once, role.map(str::to_owned))?,
    };
    Ok(lines.iter().map(|line| outcomes.get(*places.get(line)?)?.clone()).collect())
}

fn on_sqlite(looked: &sqlite::Looked, lines: &[Line]) -> Result<Vec<Option<Refusal>>, SourceError> {
    let connection = looked.connect()?;
    // The engine reads one statement and hands the rest back.
    let several = |sql: &str| statements(sql, Engine::Sqlite).into_iter().skip(1).find(|rest| !sql[rest.clone()].trim().is_empty());
    let outcome = |line: &Line| match connection.prepare(&line.sql) {
        Ok(_) => several(&line.sql).map(|rest| Refusal::of_statement("it is more than one statement", None, Some(rest.start))),
        Err(rusqlite::Error::SqlInputError { msg, offset, .. }) => Some(Refusal::of_statement(msg, None, usize::try_from(offset).ok())),
        Err(error) => Some(Refusal::of_statement(sqlite::plain(&error), None, None)),
    };
    Ok(lines.iter().map(outcome).collect())
}

fn on_mariadb(address: &Address, lines: Vec<Line>, role: Option<String>) -> Result<Vec<Option<Refusal>>, ServerError> {
    let connect = |address: &Address| -> Result<(mysql::Conn, mysql::Conn), ServerError> {
        Ok((mariadb::connect(address)?, mariadb::connect(address)?))
    };
    bounded(address, connect, move |(mut reading, mut writing), address| {
        let told = |e: &mysql::Error| mariadb::told(address, e);
        writing.query_drop("SET SESSION TRANSACTION READ WRITE").map_err(|e| told(&e))?;
        if let Some(role) = role {
            only_by_role(&mut reading, address, &role)?;
            for connection in [&mut reading, &mut writing] {
                connection.query_drop(format!("SET ROLE {}", mariadb::quoted(&role))).map_err(|e| told(&e))?;
            }
        }
        let mut outcomes = Vec::with_capacity(lines.len());
        for line in &lines {
            let (sql, ..) = positional(&line.sql, Engine::Mariadb);
            let connection = if line.writes { &mut writing } else { &mut reading };
            outcomes.push(match connection.prep(&sql).and_then(|statement| connection.close(statement)) {
                Ok(()) => None,
                Err(mysql::Error::MySqlError(error)) => {
                    Some(Refusal::of_statement(&error.message, Some(format!("{}/{}", error.code, error.state)), None))
                }
                Err(error) => return Err(told(&error)),
            });
        }
        Ok(outcomes)
    })
}

/// A user keeps its own rights beside a role's there: only one that has none of its own can rehearse as a role.
fn only_by_role(connection: &mut mysql::Conn, address: &Address, role: &str) -> Result<(), ServerError> {
    let grants: Vec<String> = connection.query("SHOW GRANTS FOR CURRENT_USER()").map_err(|e| mariadb::told(address, &e))?;
    let own = grants.iter().any(|g| g.contains(" ON ") && !g.starts_with("GRANT USAGE ON"));
    if !own {
        return Ok(());
    }
    let message = format!(
        "{} keeps its own rights beside the role's: what {role} alone may do can be told only by a user that has nothing but that role",
        address.user
    );
    Err(ServerError::new(address, Trouble::Denied, &message))
}
