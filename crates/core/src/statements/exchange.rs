//! Imports and exports: of an entity, on no page.

use super::builder::Builder;
use super::dialect::as_text;
use super::need::{Need, Use, Why};
use super::statement::Gives;
use super::writes::Values;
use super::{Purpose, Statement, users};
use crate::definition::{Entity, Export, Field, Import, Model, Place, Spanned};
use crate::name::fold;
use crate::schema::{Operation, Schema};
use crate::sql;
use std::collections::BTreeSet;

/// The records each export writes, for every role that may read them. What is sensitive is never written.
pub(super) fn exports(model: &Model, entity: &Entity, known: &Schema, out: &mut Vec<Statement>) {
    for user in users(model, entity, &|access| access.read) {
        let builder = Builder::of_entity(model, entity, user, known);
        out.extend(entity.exports.iter().map(|e| export(&builder, e)));
    }
}

pub(super) fn export<'a>(builder: &Builder<'a>, export: &'a Export) -> Statement {
    let mut select = builder.select();
    for (field, name) in builder.visible(&export.fields).filter(|(f, _)| !f.sensitive && f.related.is_none()) {
        let why = Why::Export { export: export.name.clone(), field: Some(field.name.clone()) };
        if let Some(text) = select.shown_for(field, &why, &name.place) {
            select.give_field(field, Gives::Text(field.name.clone()), text);
        }
    }
    let whole = Why::Export { export: export.name.clone(), field: None };
    all_of(builder.reading(Purpose::Export(export.name.clone()), select, ""), &whole)
}

/// What is the entity's own, such as its table and key, the import or export needs for itself: it has no page to be
/// told on.
fn all_of(mut statement: Statement, whole: &Why) -> Statement {
    for used in &mut statement.uses {
        if matches!(used.why, Why::Entity | Why::Key | Why::Version | Why::Source { .. }) {
            used.why = whole.clone();
        }
    }
    statement
}

/// What each import asks, where anybody may add records: a line is matched, its lookups are found or made, and it is
/// written.
pub(super) fn imports(model: &Model, entity: &Entity, known: &Schema, out: &mut Vec<Statement>) {
    let users = users(model, entity, &|access| access.add);
    if users.is_empty() || entity.read_only {
        return;
    }
    for import in &entity.imports {
        for &user in &users {
            let builder = Builder::of_entity(model, entity, user, known);
            out.push(matching(&builder, import));
            out.extend(mapped(entity, import).filter_map(|(field, name)| finding(&builder, import, field, &name.place)));
        }
        let builder = Builder::of_entity(model, entity, None, known);
        writes(&builder, import, out);
        for name in &import.create_missing {
            out.extend(entity.field(&name.value).and_then(|field| Some(creating(&builder, import, field, &name.place)?.0)));
        }
    }
}

fn mapped<'a>(entity: &'a Entity, import: &'a Import) -> impl Iterator<Item = (&'a Field, &'a Spanned<String>)> {
    import.columns.iter().filter_map(|(_, name)| Some((entity.field(&name.value).filter(|f| !f.hidden)?, name)))
}

fn why(import: &Import, field: Option<&Field>) -> Why {
    Why::Import { import: import.name.clone(), field: field.map(|f| f.name.clone()) }
}

/// The record that a line is about.
pub(super) fn matching(builder: &Builder<'_>, import: &Import) -> Statement {
    let mut select = builder.select();
    for (at, key) in import.key.iter().enumerate() {
        let column = select.own(&key.value, why(import, None), &key.place);
        select.filters.push(format!("{column} = :value_{}", at + 1));
    }
    all_of(builder.reading(Purpose::Match(import.name.clone()), select, ""), &why(import, None))
}

/// The record of a lookup's target that a text stands for.
pub(super) fn finding(builder: &Builder<'_>, import: &Import, field: &Field, place: &Place) -> Option<Statement> {
    let lookup = field.lookup.as_ref()?;
    let target = builder.model.entities.get(&lookup.entity.value)?;
    let access = builder.access_to(target)?;
    let why = why(import, Some(field));
    let mut select = builder.over(target, why.clone(), place);
    select.rows_of(access);
    for column in target.referenced(&lookup.value) {
        let column = select.own(&column.value, why.clone(), place);
        select.give(Gives::Key, column);
    }
    let template = lookup.show.as_ref().or(target.title.as_ref())?;
    let text = select.own_template(template, &|_| why.clone());
    select.filters.push(format!("{} = :text", as_text(&text, builder.engine())));
    Some(all_of(builder.reading(Purpose::Find(import.name.clone(), field.name.clone()), select, ""), &why))
}

fn writes(builder: &Builder<'_>, import: &Import, out: &mut Vec<Statement>) {
    let entity = builder.entity;
    let mut seen = BTreeSet::new();
    let (mut columns, mut uses) = (Vec::new(), Vec::new());
    for (field, name) in mapped(entity, import).filter(|(f, _)| f.is_stored()) {
        for set in builder.own_columns(field, &name.place).filter(|s| seen.insert(fold(&s.column))) {
            uses.push(Use {
                need: Need::Column { table: entity.table.value.clone(), select: None, column: set.column.clone() },
                why: why(import, Some(field)),
                place: name.place.clone(),
            });
            columns.push(set.column);
        }
    }
    if entity.source.insert.is_none() {
        let mut statement = builder.write(
            Purpose::Insert,
            Operation::Insert,
            builder.insert_sql(&columns, Values::OwnTypes),
            columns.clone(),
            uses.clone(),
            why(import, None),
        );
        at_import(&mut statement, import);
        out.push(all_of(statement, &why(import, None)));
    }
    if entity.source.update.is_none() && !columns.is_empty() {
        let sql = builder.update_sql(&columns, false, Values::OwnTypes);
        let mut statement = builder.write(Purpose::Update, Operation::Update, sql, columns, uses, why(import, None));
        statement.uses.retain(|used| used.why != Why::Version);
        at_import(&mut statement, import);
        out.push(all_of(statement, &why(import, None)));
    }
}

/// The write itself is the import's, not the entity's.
fn at_import(statement: &mut Statement, import: &Import) {
    for used in statement.uses.iter_mut().filter(|used| matches!(used.need, Need::Write { .. })) {
        used.place = import.place.clone();
    }
}

/// A new record of a lookup's target, made of the columns it is shown by; and these.
pub(super) fn creating(builder: &Builder<'_>, import: &Import, field: &Field, place: &Place) -> Option<(Statement, Vec<String>)> {
    let lookup = field.lookup.as_ref()?;
    let target = builder.model.entities.get(&lookup.entity.value)?;
    let template = lookup.show.as_ref().or(target.title.as_ref())?;
    let mut columns: Vec<String> = Vec::new();
    for (name, ..) in sql::parse_template(&template.value).fields() {
        if let Some(known) = target.field(name).filter(|f| f.is_stored() && !f.hidden) {
            columns.extend(known.columns.iter().map(|c| c.value.clone()));
        }
    }
    let why = why(import, Some(field));
    let table = &target.table.value;
    let sql = Builder::of_entity(builder.model, target, None, builder.known).insert_sql(&columns, Values::OwnTypes);
    let mut uses = vec![Use { need: Need::Table(table.clone()), why: why.clone(), place: place.clone() }];
    uses.extend(columns.iter().map(|column| Use {
        need: Need::Column { table: table.clone(), select: None, column: column.clone() },
        why: why.clone(),
        place: place.clone(),
    }));
    let need = Need::Write { table: table.clone(), operation: Operation::Insert, columns: columns.clone() };
    uses.push(Use { need, why, place: place.clone() });
    Some((builder.statement(Purpose::Create(import.name.clone(), field.name.clone()), sql, uses), columns))
}
