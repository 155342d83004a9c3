//! The signs by which two tables are one under two names.

use super::alike::{Likeness, Names, Spoken};
use crate::name;
use crate::schema::{Kind, Pointing, Schema, Table};
use std::collections::{BTreeMap, BTreeSet};

/// How many signs there are: the name, the columns, what kind of columns, who refers to it, what it refers to.
pub const SIGNS: usize = 5;

/// What is known of a table, worked out once.
pub struct Known<'a> {
    /// The table.
    pub table: &'a Table,
    spoken: Spoken,
    /// Its columns, each by its number in [`Rarity`], in their order.
    columns: Vec<usize>,
    kinds: Vec<Kind>,
    references: BTreeSet<String>,
    referrers: BTreeSet<String>,
}

/// How rare the columns of two schemas are: what every table has says nothing.
pub struct Rarity {
    /// By name, in order: a number, and in how many tables it is.
    counts: BTreeMap<String, (usize, usize)>,
    /// By number: what it says.
    weights: Vec<f64>,
}

impl Rarity {
    /// Counts the tables that have a column of each name.
    pub fn of(accepted: &Schema, changed: &Schema) -> Rarity {
        let mut counts: BTreeMap<String, (usize, usize)> = BTreeMap::new();
        for table in accepted.tables.iter().chain(&changed.tables) {
            for column in &table.columns {
                counts.entry(name::fold(&column.name)).or_default().1 += 1;
            }
        }
        let tables = (accepted.tables.len() + changed.tables.len()) as f64;
        let mut weights = Vec::with_capacity(counts.len());
        for (number, count) in counts.values_mut() {
            *number = weights.len();
            weights.push(((1.0 + tables / *count as f64).ln() - 0.6).max(0.05));
        }
        Rarity { counts, weights }
    }
}

impl<'a> Known<'a> {
    /// Works it out.
    pub fn of(table: &'a Table, pointing: &Pointing<'_>, rarity: &Rarity) -> Known<'a> {
        let mut columns: Vec<usize> =
            table.columns.iter().filter_map(|c| rarity.counts.get(&name::fold(&c.name))).map(|(number, _)| *number).collect();
        columns.sort_unstable();
        columns.dedup();
        Known {
            table,
            spoken: Spoken::of(name::split_qualified(&table.name).1, &[]),
            columns,
            kinds: table.columns.iter().map(|c| c.column_type.kind).collect(),
            references: table.foreign_keys.iter().map(|k| name::fold(&k.table)).collect(),
            referrers: pointing.at(&table.name).map(|(from, _)| name::fold(&from.name)).collect(),
        }
    }
}

impl Known<'_> {
    /// What tables that may be the same have in common: a word of the name, a column, or all columns.
    pub fn traits(&self) -> Vec<Trait> {
        let words = self.spoken.words().iter().cloned().map(Trait::Word);
        let columns = self.columns.iter().copied().map(Trait::Column);
        words.chain(columns).chain([Trait::Columns(self.columns.clone())]).collect()
    }
}

/// Something that a table has in common with few others.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Trait {
    /// A word of its name.
    Word(String),
    /// A column, by its number.
    Column(usize),
    /// All its columns.
    Columns(Vec<usize>),
}

/// The level of each sign for a lost table and a new one, with the share of columns that are found again.
pub fn levels(lost: &Known<'_>, new: &Known<'_>, names: &Names, rarity: &Rarity) -> ([usize; SIGNS], f64) {
    let share = share(&lost.columns, &new.columns, rarity);
    let name = match names.likeness(&lost.spoken, &new.spoken) {
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

/// The share of columns that both have among those that either has, by what each says. Both are in order.
fn share(a: &[usize], b: &[usize], rarity: &Rarity) -> f64 {
    let (mut shared, mut all) = (0.0, 0.0);
    let (mut a, mut b) = (a.iter().peekable(), b.iter().peekable());
    while let Some(next) = a.peek().into_iter().chain(b.peek()).map(|at| **at).min() {
        let (mine, yours) = (a.next_if_eq(&&next).is_some(), b.next_if_eq(&&next).is_some());
        let weight = rarity.weights.get(next).copied().unwrap_or_default();
        all += weight;
        if mine && yours {
            shared += weight;
        }
    }
    shared / all.max(0.01)
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
