//! What somebody does to a database, a line each.
//!
//! ```text
//! hive.weight -> honey_kg        a column's new name
//! hive -> colony                 a table's
//! drop hive.weight               a column is gone; `drop hive` a table
//! hive.weight: text(20) required a column is declared otherwise
//! hive + tag text; unique tag    a table gains columns, keys, constraints
//! hive - unique tag              …and loses them
//! hive: id integer key           a table as a whole; `view x: … = SELECT …` a view
//! hive broken no such column: x  what the engine says of a view
//! hive swaps tag weight          two columns change names: the catalogue's numbers tell
//! routine calls(a.text) sql: SELECT 1    in place of one that is there; `drop routine calls`; `event calls: …`, `trigger t on hive: …` alike; `off event calls: …`, `broken trigger …`
//! ```

use super::schema::{add, enter, take_out};
use crate::name::RenameMap;
use crate::schema::{Catalogue, Event, Operation, Routine, Schema, Table, TableNumbers, Trigger};

/// Does one step, and gives the renames that it is, by old names.
pub fn step(schema: &mut Schema, line: &str) -> RenameMap {
    let mut names = RenameMap::default();
    let words: Vec<&str> = line.split_whitespace().collect();
    let behind = || line.split_once(':').map_or("", |(_, rest)| rest.trim());
    match words.as_slice() {
        ["drop", "routine", name] => schema.objects.routines.retain(|r| r.name != *name),
        ["drop", what] => drop(schema, what),
        [from, "->", to] => {
            match from.split_once('.') {
                Some((table, column)) => names.rename_column(table, column, to),
                None => names.rename_table(from, to),
            }
            *schema = names.applied_to(schema);
        }
        ["routine", name, language, ..] => {
            let (name, arguments) = name.trim_end_matches(')').split_once('(').unwrap_or((name, ""));
            let arguments = arguments.split(',').filter(|a| !a.is_empty()).map(|a| a.replace('.', " "));
            schema.objects.routines.retain(|r| r.name != name);
            schema.objects.routines.push(Routine {
                name: name.to_owned(),
                kind: "function".to_owned(),
                arguments: arguments.collect(),
                language: language.trim_end_matches(':').to_owned(),
                body: behind().to_owned(),
                ..Routine::default()
            });
        }
        ["event", name, ..] => event(schema, name, behind(), false),
        ["off", "event", name, ..] => event(schema, name, behind(), true),
        ["trigger", name, "on", table, ..] => trigger(schema, name, table, behind(), None),
        ["broken", "trigger", name, "on", table, ..] => trigger(schema, name, table, behind(), Some("no such table")),
        [table, "swaps", one, other] => swap(schema, table, one, other),
        [table, "broken", ..] => {
            let told = line.split_once(" broken ").map(|(_, told)| told.to_owned());
            table_of(schema, table).broken = told;
        }
        [table, "+", ..] => parts(line, "+").iter().for_each(|part| add(table_of(schema, table), part)),
        [table, "-", ..] => parts(line, "-").iter().for_each(|part| take_out(table_of(schema, table), part)),
        [first, ..] if first.contains('.') && first.ends_with(':') => {
            let (table, column) = first.trim_end_matches(':').split_once('.').unwrap_or_default();
            add(table_of(schema, table), &format!("{column} {}", behind()));
        }
        _ => enter(schema, line),
    }
    names
}

fn table_of<'s>(schema: &'s mut Schema, name: &str) -> &'s mut Table {
    schema.tables.named_mut(name).unwrap_or_else(|| panic!("there is no table {name}"))
}

fn drop(schema: &mut Schema, what: &str) {
    match what.split_once('.') {
        Some((table, column)) => take_out(table_of(schema, table), column),
        None => schema.tables.retain(|t| t.name != what),
    }
}

/// What stands behind a sign, parted by `;`.
fn parts<'l>(line: &'l str, sign: &str) -> Vec<&'l str> {
    let behind = line.split_once(&format!(" {sign} ")).map_or("", |(_, rest)| rest);
    behind.split(';').map(str::trim).filter(|part| !part.is_empty()).collect()
}

fn event(schema: &mut Schema, name: &str, body: &str, off: bool) {
    let name = name.trim_end_matches(':').to_owned();
    schema.objects.events.push(Event { name, schedule: "every 1 day".to_owned(), body: body.to_owned(), off });
}

fn trigger(schema: &mut Schema, name: &str, table: &str, definition: &str, broken: Option<&str>) {
    table_of(schema, table.trim_end_matches(':')).triggers.push(Trigger {
        name: name.to_owned(),
        operations: vec![Operation::Insert],
        instead_of: false,
        definition: definition.to_owned(),
        off: false,
        broken: broken.map(str::to_owned),
    });
}

/// Two columns take each other's names: the same numbers of the catalogue under other names.
fn swap(schema: &mut Schema, table: &str, one: &str, other: &str) {
    let numbers = schema.catalogue.as_mut().into_iter().flat_map(|c| &mut c.tables).find(|t| t.table == table);
    let numbers = numbers.unwrap_or_else(|| panic!("{table} isn't numbered"));
    let (a, b) = (numbers.columns[one], numbers.columns[other]);
    numbers.columns.insert(one.to_owned(), b);
    numbers.columns.insert(other.to_owned(), a);
}

/// Gives every table and column a number, as a catalogue does.
pub fn numbered(schema: &mut Schema) {
    let mut number = 0;
    let mut next = || {
        number += 1;
        number
    };
    let mut of = |t: &Table| {
        let columns = t.columns.iter().map(|c| (c.name.clone(), next())).collect();
        TableNumbers { table: t.name.clone(), number: next(), columns }
    };
    let tables = schema.tables.iter().map(&mut of).collect();
    schema.catalogue = Some(Catalogue { database: "one".to_owned(), tables, trail: None });
}
