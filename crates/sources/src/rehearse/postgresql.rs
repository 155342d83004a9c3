//! Rehearsing on PostgreSQL, over its extended protocol: that takes one statement at a time, so nothing behind a
//! semicolon is ever run. Each statement is explained, which analyses it, plans it and checks the grants, and executes
//! nothing; all of them are sent without waiting for each other's answers.

use super::line::Line;
use crate::Address;
use crate::postgres;
use crate::server::{ServerError, bounded};
use bytes::BytesMut;
use futures_util::stream::{self, StreamExt};
use tokio_postgres::error::{DbError, ErrorPosition};
use tokio_postgres::types::{IsNull, ToSql, Type, to_sql_checked};
use ysomorph_core::refusal::Refusal;
use ysomorph_core::schema::Engine;
use ysomorph_core::statements::positional;

/// How many statements are on their way at the same time.
const AHEAD: usize = 200;

/// What stands before a statement. With options in parentheses, no word of the statement can become an option: an
/// `ANALYZE` in front of it would have it run.
const HEAD: &str = "EXPLAIN (ANALYZE false, COSTS false) ";

/// A parameter without a value, whatever its type.
#[derive(Debug)]
struct Nothing;

impl ToSql for Nothing {
    fn to_sql(&self, _: &Type, _: &mut BytesMut) -> Result<IsNull, Box<dyn std::error::Error + Sync + Send>> {
        Ok(IsNull::Yes)
    }

    fn accepts(_: &Type) -> bool {
        true
    }

    to_sql_checked!();
}

/// Asks about each statement, under a role's own grants where one is named.
pub(super) fn rehearse(address: &Address, lines: Vec<Line>, role: Option<String>) -> Result<Vec<Option<Refusal>>, ServerError> {
    bounded(address, postgres::connect_pipelined, move |session, address| {
        let (runtime, client) = (session.runtime, session.client);
        runtime.block_on(async {
            if let Some(role) = role {
                let sql = format!("SET ROLE {}", ysomorph_core::name::quoted(&role));
                client.batch_execute(&sql).await.map_err(|e| postgres::told(address, &e))?;
            }
            let asked = stream::iter(&lines).map(|line| outcome(&client, address, line)).buffered(AHEAD);
            asked.collect::<Vec<_>>().await.into_iter().collect()
        })
    })
}

async fn outcome(client: &tokio_postgres::Client, address: &Address, line: &Line) -> Result<Option<Refusal>, ServerError> {
    let (sql, names, offsets) = positional(&line.sql, Engine::Postgresql);
    let types: Vec<Type> = names.iter().map(|name| postgres::parameter_type(name)).collect();
    // A call can't be explained; preparing it is what can be asked.
    let (head, answer) = if first_word(&sql).eq_ignore_ascii_case("call") {
        ("", client.prepare_typed(&sql, &types).await.map(drop))
    } else {
        let values = types.iter().map(|t| (&Nothing as &(dyn ToSql + Sync), t.clone())).collect::<Vec<_>>();
        (HEAD, client.query_typed(&format!("{HEAD}{sql}"), &values).await.map(drop))
    };
    let Err(error) = answer else { return Ok(None) };
    let Some(db) = error.as_db_error() else { return Err(postgres::told(address, &error)) };
    let at = position(db, &format!("{head}{sql}"), head.len()).map(|at| original(at, &sql, &line.sql, &offsets));
    Ok(Some(Refusal::of_statement(db.message(), Some(db.code().code().to_owned()), at)))
}

fn first_word(sql: &str) -> &str {
    sql.split_whitespace().next().unwrap_or_default()
}

/// The byte of the statement that a database error points at, counted from 1 in characters of the whole text.
fn position(error: &DbError, whole: &str, head: usize) -> Option<usize> {
    let ErrorPosition::Original(character) = error.position()? else { return None };
    let character = usize::try_from(*character).ok()?.checked_sub(1)?;
    let byte = whole.char_indices().nth(character).map(|(at, _)| at)?;
    byte.checked_sub(head)
}

/// A byte of the statement with the engine's parameters as a byte of the one with named ones.
fn original(at: usize, sql: &str, named: &str, offsets: &[usize]) -> usize {
    // Walk both texts: they differ only where parameters stand.
    let (mut own, mut there) = (0, 0);
    for offset in offsets {
        let same = offset.saturating_sub(there);
        if own + same >= at {
            return there + at.saturating_sub(own);
        }
        own += same;
        there = *offset;
        // A parameter is a sign and a name.
        let length = |text: &str, from: usize| {
            let name = text.get(from + 1..).unwrap_or_default();
            (from + 1 + name.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(name.len())).min(text.len())
        };
        (own, there) = (length(sql, own), length(named, there));
    }
    there + at.saturating_sub(own)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_position_is_led_back_to_the_named_text() {
        let named = "SELECT 1 WHERE größe = :key_1 AND ü = :ö AND gone = :x";
        let (sql, _, offsets) = positional(named, Engine::Postgresql);
        let at = sql.find("gone").unwrap_or_default();
        assert_eq!(original(at, &sql, named, &offsets), named.find("gone").unwrap_or_default());
        assert_eq!(original(7, &sql, named, &offsets), 7);
        // Whatever a server points at.
        for at in 0..200 {
            let _ = original(at, &sql, named, &offsets);
            let _ = original(at, "", named, &offsets);
        }
    }
}
