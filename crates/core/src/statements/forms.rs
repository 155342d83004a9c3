//! Detail, add and edit pages: one record, the choices of its lookups, and the writes.

use super::builder::{Builder, Select};
use super::dialect::no_values;
use super::need::{Need, Spot, Use, Why};
use super::{Purpose, Statement};
use crate::definition::{Field, PageKind};
use crate::name::{fold, quoted_for as quoted};
use crate::schema::Operation;
use std::collections::BTreeSet;

/// The record by key, with its title and fields.
pub(super) fn record(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let mut select = builder.select();
    let keys = select.columns.clone();
    select.filters.extend(keys.iter().enumerate().map(|(at, key)| format!("{key} = :key_{}", at + 1)));
    let title = select.title();
    select.columns.extend(title);
    for (field, name) in builder.visible(&builder.page.shown) {
        let own = select.field_columns(field, Spot::Shown, &name.place);
        select.columns.extend(own);
        if field.lookup.is_some() {
            let text = select.shown(field, Spot::Shown, &name.place);
            select.columns.push(text);
        }
    }
    let columns = select.columns.clone();
    let sql = select.sql(&columns, "");
    out.push(builder.statement(Purpose::Record, sql, select.uses));
}

/// The choices of each lookup on the form.
pub(super) fn choices(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    for (field, _) in builder.visible(&builder.page.shown) {
        if builder.page.kind == PageKind::Add || !field.read_only {
            out.extend(choices_of(builder, field));
        }
    }
}

/// What can be chosen for a lookup; nothing for other fields, nor where the role can't read the target.
pub(super) fn choices_of(builder: &Builder<'_>, field: &Field) -> Option<Statement> {
    let lookup = field.lookup.as_ref()?;
    let target = builder.model.entities.get(&lookup.entity.value)?;
    let access = builder.access_to(target)?;
    let name = || field.name.clone();
    let mut select = Select::over(builder.model, builder.engine, target, Why::LookupTarget { field: name() }, lookup.entity.place.clone());
    if let Some(rows) = access.and_then(|a| a.rows.as_ref()) {
        let role = access.map(|a| a.role.clone()).unwrap_or_default();
        select.condition(rows, Why::Rows { role });
    }
    if let Some(condition) = &lookup.condition {
        select.condition(condition, Why::LookupCondition { field: name() });
    }
    let value = if lookup.value.is_empty() { &target.key } else { &lookup.value };
    for column in value {
        let place = if lookup.value.is_empty() { &lookup.entity.place } else { &column.place };
        let column = select.column("r", &target.table.value, &column.value, Why::LookupValue { field: name() }, place);
        select.columns.push(column);
    }
    let display = |named: String| Why::Display { field: name(), named };
    if let Some(template) = lookup.show.as_ref().or(target.title.as_ref()) {
        let text = select.template(template, target, "r", &display, &[&target.name]);
        select.columns.push(text);
    }
    for sorted in &lookup.order {
        let wanted = sorted.value.strip_prefix('-').unwrap_or(&sorted.value);
        let Some(known) = target.field(wanted).filter(|f| !f.hidden) else { continue };
        for column in &known.columns {
            let column = select.column("r", &target.table.value, &column.value, display(wanted.to_owned()), &sorted.place);
            select.order.push(if sorted.value.starts_with('-') { format!("{column} DESC") } else { column });
        }
    }
    let columns = select.columns.clone();
    let sql = select.sql(&columns, "");
    Some(builder.statement(Purpose::Choices(field.name.clone()), sql, select.uses))
}

/// A write with its needs: the table, the columns it sets, and that the database takes it.
fn write(
    builder: &Builder<'_>,
    purpose: Purpose,
    operation: Operation,
    sql: String,
    columns: Vec<String>,
    mut uses: Vec<Use>,
) -> Statement {
    let entity = builder.entity;
    uses.insert(0, Use { need: Need::Table(entity.table.value.clone()), why: Why::Entity, place: entity.table.place.clone() });
    if operation != Operation::Insert {
        for key in &entity.key {
            uses.push(Use {
                need: Need::Column { table: entity.table.value.clone(), column: key.value.clone() },
                why: Why::Key,
                place: key.place.clone(),
            });
        }
    }
    uses.push(Use {
        need: Need::Write { table: entity.table.value.clone(), operation, columns },
        why: Why::Save,
        place: builder.page.place.clone(),
    });
    builder.statement(purpose, sql, uses)
}

/// The columns a form writes, each once, with the needs they are.
fn written(builder: &Builder<'_>) -> (Vec<String>, Vec<Use>) {
    let table = &builder.entity.table.value;
    let (mut columns, mut uses, mut seen) = (Vec::new(), Vec::new(), BTreeSet::new());
    for (field, name) in builder.visible(&builder.page.shown) {
        if builder.page.kind != PageKind::Add && field.read_only {
            continue;
        }
        for column in &field.columns {
            uses.push(Use {
                need: Need::Column { table: table.clone(), column: column.value.clone() },
                why: Why::Field { field: field.name.clone(), spot: Spot::Shown },
                place: name.place.clone(),
            });
            if seen.insert(fold(&column.value)) {
                columns.push(column.value.clone());
            }
        }
    }
    (columns, uses)
}

/// A new record of the page's fields.
pub(super) fn insert(builder: &Builder<'_>) -> Statement {
    let (columns, uses) = written(builder);
    let table = quoted(&builder.entity.table.value, builder.engine);
    let sql = if columns.is_empty() {
        format!("INSERT INTO {table} {}", no_values(builder.engine))
    } else {
        let names: Vec<String> = columns.iter().map(|c| quoted(c, builder.engine)).collect();
        let values: Vec<String> = (1..=columns.len()).map(|n| format!(":value_{n}")).collect();
        format!("INSERT INTO {table} ({}) VALUES ({})", names.join(", "), values.join(", "))
    };
    write(builder, Purpose::Insert, Operation::Insert, sql, columns, uses)
}

/// A changed record; nothing where the page can't change anything.
pub(super) fn update(builder: &Builder<'_>) -> Option<Statement> {
    let (columns, uses) = written(builder);
    if columns.is_empty() {
        return None;
    }
    let sets: Vec<String> =
        columns.iter().enumerate().map(|(at, c)| format!("{} = :value_{}", quoted(c, builder.engine), at + 1)).collect();
    let sql = format!("UPDATE {} SET {}{}", quoted(&builder.entity.table.value, builder.engine), sets.join(", "), by_key(builder));
    Some(write(builder, Purpose::Update, Operation::Update, sql, columns, uses))
}

/// A record taken out.
pub(super) fn delete(builder: &Builder<'_>) -> Statement {
    let sql = format!("DELETE FROM {}{}", quoted(&builder.entity.table.value, builder.engine), by_key(builder));
    write(builder, Purpose::Delete, Operation::Delete, sql, Vec::new(), Vec::new())
}

fn by_key(builder: &Builder<'_>) -> String {
    let keys: Vec<String> = builder
        .entity
        .key
        .iter()
        .enumerate()
        .map(|(at, key)| format!("{} = :key_{}", quoted(&key.value, builder.engine), at + 1))
        .collect();
    format!(" WHERE {}", keys.join(" AND "))
}
