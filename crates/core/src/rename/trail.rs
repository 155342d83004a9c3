//! The database's change log: renames that its statements name are certain.

use super::evidence::CertainRename;
use crate::name::{self, RenameMap};
use crate::schema::{Engine, Schema, TrailEntry};
use crate::sql;
use sqlparser::ast::{AlterTableOperation, ObjectName, RenameTableNameKind, Statement};

/// The entries made since a schema was accepted; none where the log is another database's.
pub(crate) fn since<'a>(accepted: &Schema, changed: &'a Schema) -> Vec<&'a TrailEntry> {
    if !accepted.same_database(changed) {
        return Vec::new();
    }
    let last = accepted.catalogue.as_ref().and_then(|c| c.trail).unwrap_or(0);
    changed.trail.iter().filter(|entry| entry.id > last).collect()
}

/// The renames of a log, each from its accepted name to its present one.
pub(super) fn renames(accepted: &Schema, changed: &Schema) -> Vec<CertainRename> {
    let mut map = RenameMap::default();
    let mut tellers: Vec<(String, String)> = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for entry in since(accepted, changed) {
        // One statement may make several entries.
        if !entry.statement.to_lowercase().contains("rename") || !seen.insert((&entry.at, &entry.statement)) {
            continue;
        }
        for (table, column, to) in renames_in(&entry.statement, changed.home.as_deref()) {
            let mut step = RenameMap::default();
            match &column {
                Some(column) => step.rename_column(&table, column, &to),
                None => step.rename_table(&table, &to),
            }
            map = map.then(&step);
            tellers.push((to, format!("the database's change log: {} ran it on {}", entry.who, entry.at)));
        }
    }
    let reason = |to: &str| {
        let teller = tellers.iter().rev().find(|(known, _)| name::same(known, to));
        teller.map_or_else(|| "the database's change log".to_owned(), |(_, text)| text.clone())
    };
    let there = |table: &str, column: Option<&str>| accepted.table(table).is_some_and(|t| column.is_none_or(|c| t.column(c).is_some()));
    let tables = map.table_renames().map(|(from, to)| (from.to_owned(), None, to.to_owned()));
    let columns = map.column_renames().map(|(table, from, to)| (table.to_owned(), Some(from.to_owned()), to.to_owned()));
    tables
        .chain(columns)
        .filter(|(table, column, _)| there(table, column.as_deref()))
        .map(|(table, column, to)| {
            let table = accepted.table(&table).map_or(table, |t| t.name.clone());
            let kept = match &column {
                Some(column) => changed.column(map.table(&table), column).is_some(),
                None => changed.table(&table).is_some(),
            };
            CertainRename { reason: reason(&to), ask: kept, table, column, to }
        })
        .collect()
}

/// The renames that a text of one or more statements makes: table, column or none, new name.
fn renames_in(text: &str, home: Option<&str>) -> Vec<(String, Option<String>, String)> {
    let Ok(statements) = sql::parsed_statements(text, Engine::Postgresql) else { return Vec::new() };
    let ident = |i: &sqlparser::ast::Ident| sql::identifier(i, Engine::Postgresql);
    let full = |object: &ObjectName| -> Option<(Option<String>, String)> {
        let mut parts: Vec<String> = object.0.iter().filter_map(|p| p.as_ident().map(ident)).collect();
        let own = parts.pop()?;
        Some((parts.pop().filter(|schema| Some(schema.as_str()) != home), own))
    };
    let joined = |(schema, own): (Option<String>, String)| schema.map_or(own.clone(), |schema| name::qualified(&schema, &own));
    let mut found = Vec::new();
    for statement in statements {
        let Statement::AlterTable(alter) = statement else { continue };
        let Some((schema, own)) = full(&alter.name) else { continue };
        let table = joined((schema.clone(), own));
        for operation in &alter.operations {
            match operation {
                AlterTableOperation::RenameColumn { old_column_name, new_column_name } => {
                    found.push((table.clone(), Some(ident(old_column_name)), ident(new_column_name)));
                }
                AlterTableOperation::RenameTable { table_name: RenameTableNameKind::To(to) | RenameTableNameKind::As(to) } => {
                    if let Some((_, to)) = full(to) {
                        found.push((table.clone(), None, joined((schema.clone(), to))));
                    }
                }
                _ => {}
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn statements_of_the_log_name_their_renames() {
        let text =
            "ALTER TABLE public.keeper RENAME COLUMN postcode TO \"Postal\"; ALTER TABLE sales.remedy RENAME TO medicine; DROP TABLE x";
        assert_eq!(
            renames_in(text, Some("public")),
            [
                ("keeper".to_owned(), Some("postcode".to_owned()), "Postal".to_owned()),
                ("sales\u{1f}remedy".to_owned(), None, "sales\u{1f}medicine".to_owned())
            ]
        );
    }
}
