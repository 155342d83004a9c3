//! Entities that can miss nothing, told by a look at their tables instead of by making their statements.
//!
//! Most entities of a large application have no SQL by hand and lean on tables that didn't change. What is asked here
//! is *enough* for every statement to be accepted, and cheap: columns that exist, nothing written by hand, writes
//! that the table takes. Whatever is in doubt is looked at in full. The agreement tests hold it to that.

use super::Context;
use crate::definition::{Entity, Field, PageKind};
use crate::name;
use crate::schema::{Operation, Schema, Table, TableKind};
use rayon::prelude::*;
use std::collections::{HashMap, HashSet};

/// How far statements reach from lookup to lookup: a choice's title, and three lookups from there.
const REACH: usize = 5;

/// The entities whose statements have to be made to know whether the changed schema takes them.
pub(super) fn doubtful<'a>(context: &Context<'a>) -> Vec<&'a Entity> {
    let entities: Vec<&'a Entity> = context.entities().collect();
    // What others may come by, and what is asked of an entity's own statements alone.
    let judged = |e: &&'a Entity| (*e, is_plain(e, context.changed()) && lookups_are_sound(context, e), is_sound_alone(context, e));
    let judged: Vec<(&Entity, bool, bool)> = entities.par_iter().map(judged).collect();
    let unsure = judged.iter().filter(|(_, plain, _)| !plain).map(|(entity, ..)| *entity);
    let reaching = reaching(context, unsure);
    judged.into_iter().filter(|(entity, _, sound)| !sound || reaching.contains(entity.name.as_str())).map(|(entity, ..)| entity).collect()
}

/// The entities whose statements may come by one of these, and these: found from them backwards, so that it costs what is unsure.
fn reaching<'a>(context: &Context<'a>, unsure: impl Iterator<Item = &'a Entity>) -> HashSet<&'a str> {
    let mut front: Vec<&str> = unsure.map(|entity| entity.name.as_str()).collect();
    let mut seen: HashSet<&str> = front.iter().copied().collect();
    if front.is_empty() {
        return seen;
    }
    let mut before: HashMap<&str, Vec<&str>> = HashMap::new();
    for entity in context.entities() {
        let lookups = entity.fields.iter().filter_map(|f| f.lookup.as_ref()).map(|l| l.entity.value.as_str());
        let children = entity.pages.iter().flat_map(|p| &p.children).map(|c| c.entity.value.as_str());
        for reached in lookups.chain(children) {
            before.entry(reached).or_default().push(&entity.name);
        }
    }
    for _ in 0..REACH {
        let next = front.iter().flat_map(|reached| before.get(reached)).flatten().copied();
        front = next.filter(|name| seen.insert(name)).collect();
    }
    seen
}

/// Whether everything that others may read of an entity is there, by plain columns.
fn is_plain(entity: &Entity, changed: &Schema) -> bool {
    let by_hand = entity.source.select.is_some()
        || entity.access.iter().any(|a| a.rows.is_some())
        || entity.fields.iter().any(|f| f.formula.is_some() || f.related.is_some());
    let Some(table) = changed.table(&entity.table.value).filter(|t| t.broken.is_none() && !by_hand) else { return false };
    let typed = |column: &str| {
        !changed.engine.tells_types()
            || table.column(column).is_some_and(|c| c.column_type.has_order() && c.column_type.kind != crate::schema::Kind::Other)
    };
    let there = |column: &str| table.reads(column) && typed(column);
    entity.key.iter().all(|c| there(&c.value)) && entity.fields.iter().flat_map(|f| &f.columns).all(|c| there(&c.value))
}

/// Whether the table takes what the entity's own statements ask of it.
fn is_sound_alone(context: &Context<'_>, entity: &Entity) -> bool {
    let source = &entity.source;
    let by_hand = !entity.checks.is_empty()
        || !entity.imports.is_empty()
        || !entity.exports.is_empty()
        || source.insert.is_some()
        || source.update.is_some()
        || source.delete.is_some()
        || entity.pages.iter().any(|p| p.condition.is_some());
    if by_hand {
        return false;
    }
    let Some(table) = context.changed().table(&entity.table.value) else { return false };
    let totals = entity.fields.iter().all(|f| f.total.is_none() || !context.changed().engine.tells_types());
    totals && entity.version.as_ref().is_none_or(|v| table.reads(&v.value)) && writes_are_sound(context, entity, table)
}

fn lookups_are_sound(context: &Context<'_>, entity: &Entity) -> bool {
    let table = context.changed().table(&entity.table.value);
    table.is_some_and(|table| entity.fields.iter().all(|field| lookup_is_sound(context, table, field)))
}

/// Whether a lookup's columns are there at both ends and can be compared.
fn lookup_is_sound(context: &Context<'_>, table: &Table, field: &Field) -> bool {
    let Some(lookup) = &field.lookup else { return true };
    let Some(target) = context.model.entities.get(&lookup.entity.value) else { return true };
    let Some(there) = context.changed().table(&target.table.value).filter(|_| lookup.condition.is_none()) else { return false };
    let value = target.referenced(&lookup.value);
    let tells_types = context.changed().engine.tells_types();
    field.columns.iter().zip(value).all(|(own, value)| match (table.column(&own.value), there.column(&value.value)) {
        (Some(a), Some(b)) => !tells_types || a.column_type.compares_with(&b.column_type),
        _ => !tells_types && there.reads(&value.value),
    })
}

/// Whether the table takes every write of the entity's pages.
fn writes_are_sound(context: &Context<'_>, entity: &Entity, table: &Table) -> bool {
    let saving = || entity.pages.iter().filter(|p| p.kind.saves());
    let deletes = entity.pages.iter().any(|p| p.offers("delete"));
    if entity.read_only || (saving().next().is_none() && !deletes) {
        return true;
    }
    let all: Vec<&str> = table.columns.iter().map(|c| c.name.as_str()).collect();
    let taken = [Operation::Insert, Operation::Update, Operation::Delete]
        .into_iter()
        .all(|operation| context.writes.refused(table, operation, &all).is_none());
    // A role that may not give every field adds records in a way of its own.
    if entity.access.iter().any(|a| a.add && !(a.hide.is_empty() && a.read_only.is_empty())) {
        return false;
    }
    // What is hidden is on no form, and what is read-only isn't written.
    let columns_of = |field: &str| entity.field(field).filter(|f| !f.hidden && !f.read_only).map_or(&[][..], |f| f.columns.as_slice());
    let writable = |column: &str| table.column(column).is_none_or(|c| !c.written_by_database());
    let given = saving().all(|page| {
        let columns: Vec<&str> = page.shown.iter().flat_map(|f| columns_of(&f.value)).map(|c| c.value.as_str()).collect();
        let complete = page.kind != PageKind::Add || table.required_columns().all(|c| name::contains(&columns, &c.name));
        complete && columns.iter().all(|c| writable(c))
    });
    table.kind == TableKind::Table && taken && given && entity.version.as_ref().is_none_or(|v| writable(&v.value))
}
