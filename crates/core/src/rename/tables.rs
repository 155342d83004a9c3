//! The signs by which two tables are one under two names.

use super::alike::{Likeness, Names};
use crate::name;
use crate::schema::{Kind, Pointing, Schema, Table};
use std::collections::{BTreeMap, BTreeSet};

/// How many signs there are: the name, the columns, what kind of columns, who refers to it, what it refers to.
pub const SIGNS: usize = 5;

/// What is known of a table, worked out once.
pub struct Known<'a> {
    /// The table.
    pub table: &'a Table,
    columns: BTreeSet<String>,
    kinds: Vec<Kind>,
    references: BTreeSet<String>,
    referrers: BTreeSet<String>,
}

/// How rare the columns of two schemas are: what every table has says nothing.
pub struct Rarity {
    counts: BTreeMap<String, usize>,
    tables: usize,
}

impl Rarity {
    /// Counts the tables that have a column of each name.
    pub fn of(accepted: &Schema, changed: &Schema) -> Rarity {
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        for table in accepted.tables.iter().chain(&changed.tables) {
            for column in &table.columns {
                *counts.entry(name::fold(&column.name)).or_default() += 1;
            }
        }
        Rarity { counts, tables: accepted.tables.len() + changed.tables.len() }
    }

    fn weight(&self, column: &str) -> f64 {
        let seen = self.counts.get(column).copied().unwrap_or(1).max(1);
        (1.0 + self.tables as f64 / seen as f64).ln() - 0.6
    }
}

impl<'a> Known<'a> {
    /// Works it out.
    pub fn of(table: &'a Table, pointing: &Pointing<'_>) -> Known<'a> {
        Known {
            table,
            columns: table.columns.iter().map(|c| name::fold(&c.name)).collect(),
            kinds: table.columns.iter().map(|c| c.column_type.kind).collect(),
            references: table.foreign_keys.iter().map(|k| name::fold(&k.table)).collect(),
            referrers: pointing.at(&table.name).map(|(from, _)| name::fold(&from.name)).collect(),
        }
    }
}

/// The level of each sign for a lost table and a new one, with the share of columns that are found again.
pub fn levels(lost: &Known<'_>, new: &Known<'_>, names: &Names, rarity: &Rarity) -> ([usize; SIGNS], f64) {
    let weigh = |columns: &mut dyn Iterator<Item = &String>| columns.map(|c| rarity.weight(c).max(0.05)).sum::<f64>();
    let (shared, all) = (weigh(&mut lost.columns.intersection(&new.columns)), weigh(&mut lost.columns.union(&new.columns)));
    let share = shared / all.max(0.01);
    let name = match names.likeness((name::split_qualified(&lost.table.name).1, &[]), (name::split_qualified(&new.table.name).1, &[])) {
        Likeness::Same => 6,
        Likeness::SameRest | Likeness::Abbreviated => 5,
        Likeness::Part => 4,
        Likeness::Share(share) if share >= 0.4 => 3,
        Likeness::Share(share) if share > 0.0 => 2,
        Likeness::Edits => 1,
        Likeness::Share(_) => 0,
    };
    let columns = [0.05, 0.2, 0.4, 0.6, 0.8, 0.97].iter().filter(|least| share >= **least).count();
    let in_order = in_common(&lost.kinds, &new.kinds) as f64 / lost.kinds.len().max(new.kinds.len()).max(1) as f64;
    let kinds = [0.5, 0.7, 0.85, 0.99].iter().filter(|least| in_order >= **least).count();
    let alike = |a: &BTreeSet<String>, b: &BTreeSet<String>| match (a.is_empty(), b.is_empty()) {
        (true, true) => 1,
        _ if a == b => 3,
        _ if a.intersection(b).next().is_some() => 2,
        _ => 0,
    };
    let is_view = usize::from(lost.table.kind == new.table.kind);
    let levels = [name, columns, kinds * is_view, alike(&lost.referrers, &new.referrers), alike(&lost.references, &new.references)];
    (levels, share)
}

/// The longest sequence of kinds that both have in their order.
fn in_common(a: &[Kind], b: &[Kind]) -> usize {
    let mut row = vec![0usize; b.len() + 1];
    for x in a {
        let mut before = 0;
        for (at, y) in b.iter().enumerate() {
            let above = row[at + 1];
            row[at + 1] = if x == y { before + 1 } else { above.max(row[at]) };
            before = above;
        }
    }
    row[b.len()]
}
