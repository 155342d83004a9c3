//! One column order for both drafts, so that where a column stands is never a change.

use super::{Column, Schema, Table};
use crate::name;

/// The changed schema with its columns in the accepted order; new columns after the neighbour they follow in
/// the changed schema. `accepted` already carries the changed schema's names and every returning column at
/// the place it left from.
pub fn in_accepted_order(accepted: &Schema, changed: &Schema) -> Schema {
    let mut ordered = changed.clone();
    let is_ordered = |table: &Table, before: &Table| {
        table.columns.len() == before.columns.len() && table.columns.iter().zip(&before.columns).all(|(a, b)| name::same(&a.name, &b.name))
    };
    let other = |table: &Table| accepted.table(&table.name).filter(|before| !is_ordered(table, before));
    ordered.tables.change(
        |table| other(table).is_some(),
        |table| {
            if let Some(before) = other(table) {
                table.columns = ordered_columns(before, table);
            }
        },
    );
    ordered
}

fn ordered_columns(before: &Table, after: &Table) -> Vec<Column> {
    let mut columns: Vec<Column> = before.columns.iter().filter_map(|c| after.column(&c.name)).cloned().collect();
    for (at, column) in after.columns.iter().enumerate() {
        if before.column(&column.name).is_some() {
            continue;
        }
        let neighbour = after.columns[..at].last();
        let place = neighbour.and_then(|n| columns.iter().position(|c| name::same(&c.name, &n.name))).map_or(0, |p| p + 1);
        columns.insert(place, column.clone());
    }
    columns
}
