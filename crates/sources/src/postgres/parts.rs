//! The catalogue's query, asked as one; where a server refuses that, part by part. Servers that speak the protocol don't all have the
//! whole catalogue, and a user may be kept from some of it: a part that can't be read costs what it would say, not the reading.

use super::error::told;
use crate::address::Address;
use crate::server::{ServerError, Trouble};
use postgres::Transaction;
use postgres::types::Type;
use serde_json::{Map, Value};

/// Parts without which there is nothing to read.
const NEEDED: &[&str] = &["tables", "types", "columns"];

/// What stands before a part, and behind the last.
const START: &str = "SELECT json_build_object(";
const END: &str = "\n)::text";

/// What each part says, where it isn't called so.
const WORDS: &[(&str, &str)] = &[
    ("numbered", "which columns are numbered"),
    ("constraints", "keys and checks"),
    ("grants", "rights on tables"),
    ("parents", "what tables inherit from"),
    ("reads", "what views read"),
    ("elsewhere", "tables of other schemas that foreign keys point at"),
    ("enums", "enumerated types"),
    ("composites", "composite types"),
    ("ranges", "range types"),
    ("default_grants", "rights on what comes later"),
];

/// The catalogue as JSON, and what of it can't be read.
pub(super) fn read(
    transaction: &mut Transaction<'_>,
    address: &Address,
    sql: &str,
    schemas: &[String],
) -> Result<(Value, Vec<String>), ServerError> {
    let whole = match ask(transaction, address, sql, schemas) {
        Ok(whole) => return Ok((whole, Vec::new())),
        Err(error) if error.costs_a_part() => error,
        Err(error) => return Err(error),
    };
    let Some((head, parts)) = parts(sql) else { return Err(whole) };
    let (mut all, mut unseen) = (Map::new(), Vec::new());
    for (part, expression) in parts {
        let one = format!("{head}{START}\n  '{part}', {expression}{END}");
        match ask(transaction, address, &one, schemas) {
            Ok(Value::Object(one)) => all.extend(one),
            Ok(_) => return Err(whole),
            Err(error) if error.costs_a_part() && !NEEDED.contains(&part) => {
                // Which database it is, and whether it keeps a log, only makes renames surer.
                if !["database", "trail"].contains(&part) {
                    let what = WORDS.iter().find(|(name, _)| *name == part).map_or(part, |(_, what)| what);
                    unseen.push(format!("{what} can't be read: {}", error.message));
                }
            }
            Err(error) => return Err(error),
        }
    }
    Ok((Value::Object(all), unseen))
}

/// One query in a savepoint, so that one that fails doesn't end the transaction.
fn ask(transaction: &mut Transaction<'_>, address: &Address, sql: &str, schemas: &[String]) -> Result<Value, ServerError> {
    let fail = |error: postgres::Error| told(address, &error);
    let mut attempt = transaction.savepoint("part").map_err(fail)?;
    let rows = attempt.query_typed(sql, &[(&schemas, Type::TEXT_ARRAY)]);
    attempt.rollback().map_err(fail)?;
    let rows = rows.map_err(fail)?;
    let text: &str = rows.first().map_or("null", |row| row.get(0));
    serde_json::from_str(text).map_err(|error| ServerError::new(address, Trouble::Other, &error.to_string()))
}

/// What all parts begin with, and each part's name and expression: a part starts on a line of its own, two blanks in.
fn parts(sql: &str) -> Option<(&str, Vec<(&str, &str)>)> {
    let (head, rest) = sql.split_once(START)?;
    let (body, _) = rest.rsplit_once(END)?;
    let all = body.split("\n  '").filter(|part| !part.trim().is_empty());
    let parts: Option<Vec<(&str, &str)>> = all.map(|part| part.trim_end_matches(',').split_once("', ")).collect();
    Some((head, parts?))
}

#[cfg(test)]
mod tests {
    use super::*;

    const CATALOGUE: &str = include_str!("catalogue.sql");

    #[test]
    fn every_part_of_the_catalogue_is_found_in_its_query() {
        let (head, parts) = parts(CATALOGUE).unwrap();
        let names: Vec<&str> = parts.iter().map(|(name, _)| *name).collect();
        assert!(NEEDED.iter().all(|n| names.contains(n)) && WORDS.iter().all(|(n, _)| names.contains(n)), "{names:?}");
        assert_eq!(parts.len(), 22, "{names:?}");
        let whole: Vec<String> = parts.iter().map(|(name, expression)| format!("  '{name}', {expression}")).collect();
        let again = format!("{head}{START}\n{}{END}", whole.join(",\n"));
        assert_eq!(again.trim_end(), CATALOGUE.trim_end());
    }
}
