//! What tells the records of a table or view apart.

use crate::name::{self, same};
use crate::schema::{Column, Schema, Table};

/// The columns that tell records apart: the primary key, else a unique constraint over required columns, else
/// the row number; for a view a guess, to be checked by hand.
pub(super) fn entity_key(table: &Table) -> Vec<String> {
    if !table.primary_key.is_empty() {
        return table.primary_key.clone();
    }
    let required = |columns: &[String]| columns.iter().all(|c| table.column(c).is_some_and(|c| !c.nullable));
    if let Some(unique) = table.uniques.iter().find(|u| required(&u.columns)) {
        return unique.columns.clone();
    }
    if table.reads("rowid") && table.column("rowid").is_none() {
        return vec!["rowid".to_owned()];
    }
    let ids: Vec<String> = table
        .columns
        .iter()
        .filter(|c| same(&c.name, "id"))
        .chain(table.columns.iter().filter(|c| name::fold(&c.name).ends_with("_id")))
        .map(|c| c.name.clone())
        .collect();
    match ids.as_slice() {
        [id, ..] if same(id, "id") => vec![id.clone()],
        [] => table.columns.first().map(|c| c.name.clone()).into_iter().collect(),
        _ => ids,
    }
}

/// Keys that a view may have: the guess, each column that reads like one, all columns together.
pub(super) fn possible_keys(table: &Table) -> Vec<Vec<String>> {
    let ends = ["id", "code", "no", "number", "key"];
    let like_one = |column: &&Column| name::words(&column.name).last().is_some_and(|last| ends.contains(&last.as_str()));
    let mut keys = vec![entity_key(table)];
    keys.extend(table.columns.iter().filter(like_one).map(|c| vec![c.name.clone()]));
    keys.push(table.columns.iter().map(|c| c.name.clone()).collect());
    let mut seen = std::collections::BTreeSet::new();
    keys.retain(|key| !key.is_empty() && seen.insert(key.clone()));
    keys
}

/// The key of a view, where its own query says it: what it groups by, or the key of the table it starts from.
pub(super) fn view_key(schema: &Schema, table: &Table) -> Option<Vec<String>> {
    let key = crate::sql::key_of_query(table.definition.as_deref()?, schema)?;
    let own: Option<Vec<String>> = key.iter().map(|c| table.column(c).map(|c| c.name.clone())).collect();
    own.filter(|own| !own.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::Engine;
    use crate::testkit::schema_on;

    #[test]
    fn the_key_is_what_the_database_keeps_apart_else_the_row_number_else_a_guess() {
        for (engine, table, expected) in [
            (Engine::Postgresql, "hive: id integer key; tag text", &["id"][..]),
            (Engine::Postgresql, "line: order_id integer key; no integer key", &["order_id", "no"]),
            // A unique constraint over what is always there.
            (Engine::Postgresql, "hive: tag text required unique; name text", &["tag"]),
            (Engine::Sqlite, "hive: tag text unique; name text", &["rowid"]),
            (Engine::Sqlite, "hive: rowid text; name text", &["rowid"]),
            (Engine::Postgresql, "view heavy: yard_id integer; hive_id integer; weight integer = SELECT 1", &["yard_id", "hive_id"]),
            (Engine::Postgresql, "view heavy: id integer; hive_id integer = SELECT 1", &["id"]),
            (Engine::Postgresql, "view heavy: weight integer; name text = SELECT 1", &["weight"]),
        ] {
            let schema = schema_on(engine, table);
            assert_eq!(entity_key(&schema.tables[0]), expected, "{table}");
        }
    }

    #[test]
    fn a_views_own_query_says_what_keeps_its_records_apart() {
        let tables = "yard: id integer key; name text\nhive: id integer key; yard_id integer -> yard; weight integer";
        for (columns, select, expected) in [
            ("yard_id integer; weight integer", "SELECT yard_id, sum(weight) AS weight FROM hive GROUP BY yard_id", Some(&["yard_id"][..])),
            ("id integer; name text", "SELECT h.id, y.name FROM hive h JOIN yard y ON y.id = h.yard_id", Some(&["id"])),
            ("name text", "SELECT y.name FROM hive h JOIN yard y ON y.id = h.yard_id", None),
        ] {
            let schema = schema_on(Engine::Postgresql, &format!("{tables}\nview seen: {columns} = {select}"));
            let view = schema.table("seen").unwrap();
            assert_eq!(
                view_key(&schema, view).as_deref(),
                expected.map(|e| e.iter().map(|c| (*c).to_owned()).collect::<Vec<_>>()).as_deref(),
                "{select}"
            );
        }
    }
}
