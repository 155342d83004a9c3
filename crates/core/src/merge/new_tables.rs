//! New tables: taken in, left out, or left for later.

use super::asked::answer;
use super::memory::{Memory, Thing};
use super::outcome::Input;
use super::questions::{Question, about_table};
use crate::changes::Comparison;
use crate::name;
use crate::schema::Schema;
use std::collections::BTreeSet;

/// New tables and what was said about them.
#[derive(Default)]
pub(super) struct NewTables {
    pub questions: Vec<Question>,
    pub later: BTreeSet<String>,
    pub exclude: Vec<String>,
    /// Tables that may be a renamed one: nothing is asked of them yet.
    waiting: BTreeSet<String>,
}

impl NewTables {
    pub fn of(input: &Input<'_>, comparison: &Comparison, carried: &Schema, memory: &Memory) -> NewTables {
        let mut tables = NewTables::default();
        let returns = |table: &str| {
            let thing = Thing::table(table);
            memory.gone.iter().any(|g| {
                g.thing.column.is_none()
                    && (g.thing.same(&thing) || memory.renames.iter().rev().any(|r| name::same(r.inverse().table(&g.thing.table), table)))
            })
        };
        let open: Vec<&String> = comparison.renames.iter().filter(|r| r.column.is_none() && !r.taken).flat_map(|r| &r.candidates).collect();
        for table in &input.changed.tables {
            if carried.table(&table.name).is_some() || returns(&table.name) {
                continue;
            }
            if open.iter().any(|c| name::same(c, &table.name)) {
                tables.waiting.insert(table.name.clone());
                continue;
            }
            let mut question = about_table(&table.name);
            question.answer = answer(input, &question).or_else(|| input.stored.later.contains(&table.name).then(|| "later".to_owned()));
            match question.answer.as_deref() {
                Some("in") => {}
                Some("out") => tables.exclude.push(table.name.clone()),
                _ => {
                    tables.later.insert(table.name.clone());
                }
            }
            tables.questions.push(question);
        }
        tables
    }

    pub fn withheld(&self) -> impl Iterator<Item = String> {
        self.later.iter().chain(&self.waiting).chain(&self.exclude).cloned()
    }

    /// The changed schema as far as this merge goes: without tables that stay out, and with the known columns of
    /// views that can't be read at the moment, which aren't lost.
    pub fn effective(&self, changed: &Schema, carried: &Schema) -> Schema {
        let out: Vec<String> = self.withheld().collect();
        let mut effective = changed.clone();
        effective.tables.retain(|t| !name::contains(&out, &t.name));
        effective.outside.extend(out);
        for table in effective.tables.iter_mut().filter(|t| t.broken.is_some()) {
            if let Some(known) = carried.table(&table.name) {
                table.columns.clone_from(&known.columns);
            }
        }
        effective
    }
}
