//! How often each level of a sign is found in chance pairs: counted in the two schemas at hand, so that agreement on what is rare
//! there says much, and on what is everywhere says nothing.

use super::alike::Names;
use super::signs::{Levels, Pair, Sign};
use super::weights::CHANCE;
use crate::schema::{Column, ColumnType, Kind, Schema};
use std::collections::BTreeMap;

/// Most chance pairs that are looked at.
const SAMPLE: usize = 500;
/// How many pairs of other databases the schemas' own pairs are weighed against: a small schema says little.
const TRUST: f64 = 60.0;

/// The chance half of two schemas.
#[derive(Debug)]
pub struct Chance {
    /// How often each level of each sign was seen among the sampled pairs.
    counts: [[f64; Sign::LEVELS]; Sign::ALL.len()],
    pairs: f64,
    /// How often each type is declared.
    types: BTreeMap<Declared, f64>,
    columns: f64,
}

impl Chance {
    /// Counts in two schemas: columns of one table that aren't the same, one of before and one of now.
    pub fn of(accepted: &Schema, changed: &Schema, names: &Names) -> Chance {
        let mut chance = Chance { counts: Default::default(), pairs: 0.0, types: BTreeMap::new(), columns: 0.0 };
        for column in accepted.tables.iter().chain(&changed.tables).flat_map(|t| &t.columns) {
            *chance.types.entry(declared(&column.column_type)).or_default() += 1.0;
            chance.columns += 1.0;
        }
        let tables: Vec<_> = accepted.tables.iter().filter_map(|t| Some((t, changed.table(&t.name)?))).collect();
        let all: usize = tables.iter().map(|(a, b)| a.columns.len() * b.columns.len()).sum();
        let step = all.div_ceil(SAMPLE).max(1);
        let mut at = 0;
        for (before, after) in tables {
            let here = before.columns.len() * after.columns.len();
            // Most tables of a large schema are passed over.
            if at / step == (at + here) / step {
                at += here;
                continue;
            }
            let pair = Pair::of(before, after, names, &|_, _| false);
            for old in &before.columns {
                for new in &after.columns {
                    at += 1;
                    if at % step == 0 && old.name != new.name {
                        chance.add(&pair.levels(old, new));
                    }
                }
            }
        }
        chance
    }

    fn add(&mut self, levels: &Levels) {
        self.pairs += 1.0;
        for (counts, level) in self.counts.iter_mut().zip(levels) {
            counts[*level] += 1.0;
        }
    }

    /// How often a chance pair has this level of a sign. Of signs that only a change shows, other databases tell.
    pub fn of_level(&self, sign: Sign, level: usize, lost: &Column) -> f64 {
        let general = CHANCE[sign as usize][level];
        match sign {
            Sign::Slot | Sign::Elsewhere | Sign::Rewriting => general,
            // The same type says the more the rarer it is.
            Sign::Type if level == 3 => {
                let seen = self.types.get(&declared(&lost.column_type)).copied().unwrap_or(0.0);
                (seen + 1.0 + TRUST * general) / (self.columns + TRUST)
            }
            _ => (self.counts[sign as usize][level] + TRUST * general) / (self.pairs + TRUST),
        }
    }
}

/// A type as far as it counts here.
type Declared = (Kind, Option<u32>, Option<u32>);

fn declared(of: &ColumnType) -> Declared {
    (of.kind, of.size, of.scale)
}
