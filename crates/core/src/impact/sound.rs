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
use std::collections::BTreeSet;

/// How far statements reach from lookup to lookup: a choice's title, and three lookups from there.
const REACH: usize = 5;

/// The entities whose statements have to be made to know whether the changed schema takes them.
pub(super) fn doubtful<'a>(context: &Context<'a>) -> Vec<&'a Entity> {
    let entities: Vec<&'a Entity> = context.entities().collect();
    let plain: BTreeSet<&str> = entities.par_iter().filter(|e| is_plain(e, context.changed())).map(|e| e.name.as_str()).collect();
    entities.into_par_iter().filter(|e| !is_sound(context, e, &plain)).collect()
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

fn is_sound(context: &Context<'_>, entity: &Entity, plain: &BTreeSet<&str>) -> bool {
    let source = &entity.source;
    let by_hand = !entity.checks.is_empty()
        || !entity.imports.is_empty()
        || !entity.exports.is_empty()
        || source.insert.is_some()
        || source.update.is_some()
        || source.delete.is_some()
        || entity.pages.iter().any(|p| p.condition.is_some());
    if by_hand || !plain.contains(entity.name.as_str()) {
        return false;
    }
    let Some(table) = context.changed().table(&entity.table.value) else { return false };
    let totals = entity.fields.iter().all(|f| f.total.is_none() || !context.changed().engine.tells_types());
    totals
        && entity.version.as_ref().is_none_or(|v| table.reads(&v.value))
        && entity.fields.iter().all(|f| lookup_is_sound(context, table, f))
        && reaches_only_plain(context, entity, plain)
        && writes_are_sound(context, entity, table)
}

/// Whether a lookup's columns are there at both ends and can be compared.
fn lookup_is_sound(context: &Context<'_>, table: &Table, field: &Field) -> bool {
    let Some(lookup) = &field.lookup else { return true };
    let Some(target) = context.model.entities.get(&lookup.entity.value) else { return true };
    let Some(there) = context.changed().table(&target.table.value).filter(|_| lookup.condition.is_none()) else { return false };
    let value = if lookup.value.is_empty() { &target.key } else { &lookup.value };
    let tells_types = context.changed().engine.tells_types();
    field.columns.iter().zip(value).all(|(own, value)| match (table.column(&own.value), there.column(&value.value)) {
        (Some(a), Some(b)) => !tells_types || a.column_type.compares_with(&b.column_type),
        _ => !tells_types && there.reads(&value.value),
    })
}

/// Whether every entity that a statement may come by is plain, and compares as its lookups want.
fn reaches_only_plain(context: &Context<'_>, entity: &Entity, plain: &BTreeSet<&str>) -> bool {
    let mut seen: BTreeSet<&str> = BTreeSet::from([entity.name.as_str()]);
    let mut front = vec![entity];
    for _ in 0..REACH {
        let mut next = Vec::new();
        for here in front {
            let lookups = here.fields.iter().filter_map(|f| f.lookup.as_ref()).map(|l| l.entity.value.as_str());
            let children = here.pages.iter().flat_map(|p| &p.children).map(|c| c.entity.value.as_str());
            for name in lookups.chain(children) {
                let Some(reached) = context.model.entities.get(name).filter(|_| seen.insert(name)) else { continue };
                let table = context.changed().table(&reached.table.value);
                if !plain.contains(name) || !table.is_some_and(|t| reached.fields.iter().all(|f| lookup_is_sound(context, t, f))) {
                    return false;
                }
                next.push(reached);
            }
        }
        front = next;
    }
    true
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
        .all(|operation| context.changed().refuses_write(table, operation, &all).is_none());
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
