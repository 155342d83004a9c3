//! Rehearsing statements: the real database is asked whether it would take them. Nothing is ever run.
//!
//! PostgreSQL prepares each and explains its execution, which checks the grants; the session is read-only. MariaDB
//! checks grants when it prepares; writes are prepared in a session of their own, as a read-only one refuses even
//! that. SQLite prepares on a connection that can't write.

use crate::server::{ServerError, Trouble, bounded};
use crate::{Address, Source, SourceError, mariadb, postgres, sqlite};
use mysql::prelude::Queryable;
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::rehearsal::Refusal;
use ysomorph_core::schema::Engine;
use ysomorph_core::statements::positional;

/// A statement to rehearse, in the engine's dialect with named parameters.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Line {
    /// Its text.
    pub sql: String,
    /// Whether it changes records.
    pub writes: bool,
}

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
        Source::Sqlite(path) => on_sqlite(path, &once)?,
        Source::Snapshot(path) => {
            let reason = "a snapshot is no database: nothing can be rehearsed on it".to_owned();
            return Err(SourceError::Read { path: path.clone(), reason });
        }
        Source::Server(address) if address.engine == Engine::Postgresql => on_postgresql(address, once, role.map(str::to_owned))?,
        Source::Server(address) => on_mariadb(address, once, role.map(str::to_owned))?,
    };
    Ok(lines.iter().map(|line| outcomes.get(*places.get(line)?)?.clone()).collect())
}

fn on_sqlite(path: &Path, lines: &[Line]) -> Result<Vec<Option<Refusal>>, SourceError> {
    let connection = sqlite::open(path)?;
    let outcome = |line: &Line| match connection.prepare(&line.sql) {
        Ok(_) => None,
        Err(rusqlite::Error::SqlInputError { msg, offset, .. }) => {
            Some(Refusal { message: msg, code: None, at: usize::try_from(offset).ok() })
        }
        Err(error) => Some(Refusal { message: sqlite::plain(&error), code: None, at: None }),
    };
    Ok(lines.iter().map(outcome).collect())
}

/// The types of parameters that always exist; the others' follow from where they stand.
fn parameter_type(name: &str) -> &'static str {
    match name {
        "today" => "date",
        "now" => "timestamptz",
        "user_name" | "search" => "text",
        _ => "unknown",
    }
}

fn on_postgresql(address: &Address, lines: Vec<Line>, role: Option<String>) -> Result<Vec<Option<Refusal>>, ServerError> {
    bounded(address, postgres::connect, move |mut client, address| {
        if let Some(role) = role {
            let sql = format!("SET ROLE {}", ysomorph_core::name::quoted(&role));
            client.batch_execute(&sql).map_err(|e| postgres::told(address, &e))?;
        }
        let mut outcomes = Vec::with_capacity(lines.len());
        for line in &lines {
            let (sql, names, offsets) = positional(&line.sql, Engine::Postgresql);
            let types: Vec<&str> = names.iter().map(|n| parameter_type(n)).collect();
            let (types, values) = match names.len() {
                0 => (String::new(), String::new()),
                n => (format!(" ({})", types.join(", ")), format!("({})", vec!["NULL"; n].join(", "))),
            };
            let head = format!("PREPARE rehearsed{types} AS ");
            // A call can't be prepared by a statement, nor explained; the protocol prepares it.
            if sql.starts_with("CALL ") {
                let asked = client.prepare(&sql);
                outcomes.push(match asked {
                    Ok(_) => None,
                    Err(error) => match error.as_db_error() {
                        Some(db) => Some(Refusal { message: db.message().to_owned(), code: Some(db.code().code().to_owned()), at: None }),
                        None => return Err(postgres::told(address, &error)),
                    },
                });
                continue;
            }
            let asked = client
                .batch_execute(&format!("{head}{sql}"))
                .and_then(|()| client.batch_execute(&format!("EXPLAIN EXECUTE rehearsed{values}")));
            let _ = client.batch_execute("DEALLOCATE ALL");
            outcomes.push(match asked {
                Ok(()) => None,
                Err(error) => match error.as_db_error() {
                    Some(db) => Some(Refusal {
                        message: db.message().to_owned(),
                        code: Some(db.code().code().to_owned()),
                        at: position(db, &format!("{head}{sql}"), head.len()).map(|at| original(at, &sql, &line.sql, &offsets)),
                    }),
                    None => return Err(postgres::told(address, &error)),
                },
            });
        }
        Ok(outcomes)
    })
}

/// The byte of the statement that a database error points at, counted from 1 in characters of the whole text.
fn position(error: &::postgres::error::DbError, whole: &str, head: usize) -> Option<usize> {
    let ::postgres::error::ErrorPosition::Original(character) = error.position()? else { return None };
    let character = usize::try_from(*character).ok()?.checked_sub(1)?;
    let byte = whole.char_indices().nth(character).map(|(at, _)| at)?;
    byte.checked_sub(head)
}

/// A byte of the statement with the engine's parameters as a byte of the one with named ones.
fn original(at: usize, sql: &str, named: &str, offsets: &[usize]) -> usize {
    // Walk both texts: they differ only where parameters stand.
    let (mut own, mut there) = (0, 0);
    for offset in offsets {
        let same = offset - there;
        if own + same >= at {
            return there + (at - own);
        }
        own += same;
        there = *offset;
        let length = |text: &str, from: usize| {
            text[from + 1..].find(|c: char| !(c.is_alphanumeric() || c == '_')).map_or(text.len(), |n| from + 1 + n)
        };
        (own, there) = (length(sql, own), length(named, there));
    }
    there + at.saturating_sub(own)
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
                    Some(Refusal { message: error.message.clone(), code: Some(format!("{}/{}", error.code, error.state)), at: None })
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_position_is_led_back_to_the_named_text() {
        let named = "SELECT 1 WHERE a = :key_1 AND gone = :x";
        let (sql, _, offsets) = positional(named, Engine::Postgresql);
        let at = sql.find("gone").unwrap_or_default();
        assert_eq!(original(at, &sql, named, &offsets), named.find("gone").unwrap_or_default());
        assert_eq!(original(7, &sql, named, &offsets), 7);
    }
}
