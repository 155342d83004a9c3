//! Join tables: tables that do nothing but link two others become related sets of both.

use super::names::{NamesInUse, entity_name, free, link_identity};
use super::{Conventions, labels};
use crate::name::{self, same};
use crate::schema::{ForeignKey, Schema, Table};

/// A join table with its two ends.
#[derive(Debug, Clone)]
pub(super) struct Join<'a> {
    pub table: &'a Table,
    ends: [&'a ForeignKey; 2],
}

/// The two foreign keys of a table that has no others than what an application notes for itself: who made the link.
pub(super) fn ends<'a>(table: &'a Table, conventions: &Conventions) -> Option<(&'a ForeignKey, &'a ForeignKey)> {
    let mut keys = table.foreign_keys.iter().filter(|k| !k.columns.iter().all(|c| conventions.is_record_keeping(c)));
    let ends = (keys.next()?, keys.next()?);
    keys.next().is_none().then_some(ends)
}

/// One end of a join table, as a related set of the table there.
#[derive(Debug, Clone)]
pub(super) struct Linked<'a> {
    pub table: &'a Table,
    pub here: &'a ForeignKey,
    pub there: &'a ForeignKey,
}

impl<'a> Join<'a> {
    /// The table as a join table, unless it carries more than its links. One that is in use as such stays one, whatever
    /// it gained, as long as its links are there.
    pub fn of(schema: &Schema, table: &'a Table, conventions: &Conventions, in_use: bool) -> Option<Join<'a>> {
        let (one, other) = ends(table, conventions)?;
        let linked = |key: &ForeignKey, column: &str| name::contains(&key.columns, column);
        if one.columns.iter().any(|c| linked(other, c)) {
            return None;
        }
        // It links records by what tells them apart.
        let tells_apart = |key: &ForeignKey| schema.table(&key.table).is_some_and(|target| key.fits(target));
        if !tells_apart(one) || !tells_apart(other) {
            return None;
        }
        let is_link = |column: &str| linked(one, column) || linked(other, column);
        let carries = table.columns.iter().any(|c| {
            let kept = conventions.is_record_keeping(&c.name) && !c.must_be_given();
            !is_link(&c.name) && !c.auto && c.generated.is_none() && !kept
        });
        let both: Vec<String> = one.columns.iter().chain(&other.columns).cloned().collect();
        let pure = !carries && (table.is_unique(&both) || table.primary_key.is_empty() || table.primary_key.iter().all(|c| !is_link(c)));
        (pure || in_use).then_some(Join { table, ends: [one, other] })
    }

    /// Both ends.
    pub fn linked(&self) -> [Linked<'a>; 2] {
        let [one, other] = self.ends;
        [Linked { table: self.table, here: one, there: other }, Linked { table: self.table, here: other, there: one }]
    }
}

impl Linked<'_> {
    /// What names in use know the related set by.
    pub fn identity(&self) -> Vec<String> {
        link_identity(&self.table.name, &self.here.columns)
    }

    /// The field's name where none is in use: what the join table's name says of it, else the other table in the plural.
    pub fn wanted_name(&self, conventions: &Conventions) -> String {
        let words = |name: &str| name::words(name::split_qualified(name).1);
        let (own, other) = (words(&self.here.table), words(&self.there.table));
        if same(&self.here.table, &self.there.table) {
            let column = self.there.columns.first().map_or("", String::as_str);
            return plural(column.strip_suffix("_id").unwrap_or(column), conventions);
        }
        let rest: Vec<String> = words(&self.table.name).into_iter().filter(|w| !own.contains(w)).collect();
        let says_other = other.iter().any(|w| rest.contains(w));
        let small = ["of", "to", "by", "for", "in", "at", "has", "and", "map", "link", "rel", "join", "xref"];
        let said: Vec<&String> = rest.iter().filter(|w| !small.contains(&w.as_str())).collect();
        if said.is_empty() || says_other || own.iter().any(|w| words(&self.table.name).iter().all(|t| t != w)) {
            return plural(&other.join("_"), conventions);
        }
        plural(&said.iter().map(|w| w.as_str()).collect::<Vec<_>>().join("_"), conventions)
    }
}

fn plural(words: &str, conventions: &Conventions) -> String {
    let (_, many) = labels::one_and_many(words, &Conventions { abbreviations: Default::default(), ..conventions.clone() });
    entity_name(&many.replace(' ', "_"))
}

/// A name for the related set that the entity doesn't use yet.
pub(super) fn field_name(names: &NamesInUse, entity: &str, linked: &Linked<'_>, taken: &[String], conventions: &Conventions) -> String {
    names
        .field(entity, &linked.identity())
        .unwrap_or_else(|| free(&linked.wanted_name(conventions), |n| taken.iter().any(|t| t == n) || names.is_taken(entity, n)))
}
