//! Related sets: records of another entity that a join table links to this one.

use super::builder::Builder;
use super::need::{Need, Read, Use, Why};
use super::relation::Relation;
use super::select::Select;
use super::statement::Gives;
use super::{Purpose, Statement};
use crate::definition::{Entity, Field, PageKind, Related, Spanned};
use crate::name::{quoted_for as quoted, same};
use crate::schema::Operation;

/// Whose links are read.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Of {
    /// The record shown.
    Record,
    /// All records of a page, in one statement.
    Rows,
    /// So many records, in one statement: `:owner_1_1` is the first column of the first one's key.
    These(usize),
}

/// The linked records of each related set on the page.
pub(crate) fn sets(builder: &Builder<'_>, of: Of, out: &mut Vec<Statement>) {
    for (field, _) in builder.visible(builder.shown()) {
        if let Some(related) = &field.related {
            out.extend(set(builder, field, related, of));
        }
    }
}

pub(super) fn set(builder: &Builder<'_>, field: &Field, related: &Related, of: Of) -> Option<Statement> {
    let target = builder.model.entities.get(&related.entity.value)?;
    let access = builder.access_to(target)?;
    let engine = builder.engine();
    let name = || field.name.clone();
    let mut select = builder.over(target, Why::LookupTarget { field: name() }, &related.entity.place);
    select.rows_of(access);
    let joining = |column: &str| format!("{}.{}", quoted("j", engine), quoted(column, engine));
    let value_why = || Why::LookupValue { field: name() };
    for key in &target.key {
        let own = select.own(&key.value, value_why(), &related.entity.place);
        select.give(Gives::Key, own);
    }
    let mut pairs = Vec::new();
    for (there, to) in related.there.iter().zip(target.referenced(&related.there_value)) {
        let own = select.own(&to.value, value_why(), &related.entity.place);
        pairs.push(format!("{} = {own}", joining(&there.value)));
        let need = Need::Compared { this: Read::of_table(&related.through.value, &there.value), with: Read::of(target, &to.value) };
        select.uses.push(Use { need, why: value_why(), place: related.entity.place.clone() });
    }
    let on = if pairs.is_empty() { "1 = 0".to_owned() } else { pairs.join(" AND ") };
    let mut through = format!(" JOIN {} AS {} ON {on}", quoted(&related.through.value, engine), quoted("j", engine));
    let here = owners(builder, field, related, &mut select, &mut through);
    select.through = Some(through);
    if of != Of::Record {
        here.iter().for_each(|column| select.give(Gives::Owner, column.clone()));
    }
    select.uses.extend(joins(field, related));
    match (here.as_slice(), of) {
        ([one], Of::Rows) => select.filters.push(format!("{one} IN (:keys)")),
        (_, Of::These(owners)) => select.filters.push(any_of(&here, owners)),
        (several, _) => select.filters.extend(several.iter().enumerate().map(|(at, c)| format!("{c} = :key_{}", at + 1))),
    }
    let display = |named: String| Why::Display { field: name(), named };
    let text = related.show.as_ref().or(target.title.as_ref()).map(|template| select.own_template(template, &display));
    select.order.extend(text.clone());
    if let Some(text) = text {
        select.give(Gives::Title, text);
    }
    Some(builder.reading(Purpose::Related(name()), select, ""))
}

/// The columns that hold the keys of the records whose links are read: the join table's own where it holds the key, else
/// the records are joined by what it holds of them.
fn owners(builder: &Builder<'_>, field: &Field, related: &Related, select: &mut Select<'_>, through: &mut String) -> Vec<String> {
    let (engine, owner) = (builder.engine(), builder.entity);
    let qualified = |alias: &str, column: &str| format!("{}.{}", quoted(alias, engine), quoted(column, engine));
    let value = owner.referenced(&related.here_value);
    // In the order of the key.
    let held = |key: &Spanned<String>| {
        let at = value.iter().position(|to| same(&to.value, &key.value))?;
        Some(qualified("j", &related.here.get(at)?.value))
    };
    let by_key: Option<Vec<String>> = owner.key.iter().map(held).collect();
    if let Some(by_key) = by_key {
        return by_key;
    }
    let mut pairs = Vec::new();
    for (here, to) in related.here.iter().zip(value) {
        pairs.push(format!("{} = {}", qualified("o", &to.value), qualified("j", &here.value)));
        let this = Read::of_table(&related.through.value, &here.value);
        select.uses.extend(builder.needs_of_record_column(owner, &to.value, this, &Why::Join { field: field.name.clone() }, &to.place));
    }
    let on = if pairs.is_empty() { "1 = 0".to_owned() } else { pairs.join(" AND ") };
    through.push_str(&format!(" JOIN {} ON {on}", Relation::of(owner).sql("o", engine)));
    owner.key.iter().map(|key| qualified("o", &key.value)).collect()
}

/// Whether these columns are the key of one of so many records.
fn any_of(here: &[String], owners: usize) -> String {
    let one = |owner: usize| -> Vec<String> {
        here.iter().enumerate().map(|(at, column)| format!("{column} = :owner_{owner}_{}", at + 1)).collect()
    };
    let all: Vec<String> = (1..=owners).filter(|_| !here.is_empty()).map(|owner| format!("({})", one(owner).join(" AND "))).collect();
    if all.is_empty() { "1 = 0".to_owned() } else { format!("({})", all.join(" OR ")) }
}

/// What reading or writing the join table needs.
fn joins(field: &Field, related: &Related) -> Vec<Use> {
    let why = || Why::Join { field: field.name.clone() };
    let table = related.through.value.clone();
    let mut uses = vec![Use { need: Need::Table(table.clone()), why: why(), place: related.through.place.clone() }];
    for column in related.here.iter().chain(&related.there) {
        let need = Need::Column { table: table.clone(), select: None, column: column.value.clone() };
        uses.push(Use { need, why: why(), place: column.place.clone() });
    }
    uses
}

/// Linking and unlinking, for each related set that the form may change.
pub(crate) fn links(builder: &Builder<'_>, out: &mut Vec<Statement>) {
    let adds = builder.page().is_some_and(|p| p.kind == PageKind::Add);
    for (field, _) in builder.visible(builder.shown()) {
        let Some(related) = field.related.as_ref().filter(|_| !field.read_only) else { continue };
        out.push(write(builder, field, related, Operation::Insert));
        if !adds {
            out.push(write(builder, field, related, Operation::Delete));
        }
    }
}

pub(super) fn write(builder: &Builder<'_>, field: &Field, related: &Related, operation: Operation) -> Statement {
    let engine = builder.engine();
    let table = quoted(&related.through.value, engine);
    let mut uses = joins(field, related);
    let mut pairs: Vec<(String, String)> = Vec::new();
    let mut side = |columns: &[Spanned<String>], entity: &Entity, value: &[Spanned<String>], parameter: &str| {
        for (column, to) in columns.iter().zip(entity.referenced(value)) {
            let this = Read::of_table(&related.through.value, &column.value);
            uses.extend(builder.needs_of_record_column(entity, &to.value, this, &Why::Join { field: field.name.clone() }, &to.place));
            pairs.push((column.value.clone(), builder.column_of_record(entity, &to.value, parameter)));
        }
    };
    side(&related.here, builder.entity, &related.here_value, "key");
    if let Some(target) = builder.model.entities.get(&related.entity.value) {
        side(&related.there, target, &related.there_value, "value");
    }
    let columns: Vec<String> = pairs.iter().map(|(c, _)| c.clone()).collect();
    let quoted_columns: Vec<String> = columns.iter().map(|c| quoted(c, engine)).collect();
    let values: Vec<&str> = pairs.iter().map(|(_, v)| v.as_str()).collect();
    let (purpose, sql) = if operation == Operation::Insert {
        let sql = format!("INSERT INTO {table} ({}) VALUES ({})", quoted_columns.join(", "), values.join(", "));
        (Purpose::Link(field.name.clone()), sql)
    } else {
        let by: Vec<String> = quoted_columns.iter().zip(values).map(|(c, v)| format!("{c} = {v}")).collect();
        (Purpose::Unlink(field.name.clone()), format!("DELETE FROM {table} WHERE {}", by.join(" AND ")))
    };
    let columns = if operation == Operation::Insert { columns } else { Vec::new() };
    uses.push(Use {
        need: Need::Write { table: related.through.value.clone(), operation, columns },
        why: Why::Link { field: field.name.clone() },
        place: related.through.place.clone(),
    });
    builder.statement(purpose, sql, uses)
}
