//! The questions that a merge asks, each with the answer it was given.

use super::Thing;
use super::questions::{Question, about_key, about_rename, about_source, about_table};
use crate::changes::Comparison;
use crate::name;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// Answers by question name.
pub(super) type Answers = BTreeMap<String, String>;

/// The answer to a question, where it is one of its choices.
pub(super) fn answer(answers: &Answers, question: &Question) -> Option<String> {
    answers.get(&question.name).filter(|a| question.choices.contains(a)).cloned()
}

/// Renames to ask about. A column's is asked once its table's is settled.
pub(super) fn rename_questions(answers: &Answers, comparison: &Comparison) -> Vec<Question> {
    let unsettled = |table: &str| comparison.renames.iter().any(|r| r.column.is_none() && !r.taken && name::same(&r.table, table));
    let asked = comparison.renames.iter().filter(|r| !r.candidates.is_empty() && (r.column.is_none() || !unsettled(&r.table)));
    asked
        .filter(|r| !r.taken || answers.contains_key(&r.question()))
        .map(|r| {
            let mut question = about_rename(r);
            question.answer = answers.get(&question.name).filter(|a| r.taken && (question.choices.contains(a))).cloned();
            question
        })
        .collect()
}

/// What tells the records of a view apart, where that is a guess: asked for a new entity, and where the key it had is gone.
pub(super) fn key_questions(
    answers: &Answers,
    keys: &BTreeMap<String, (String, Vec<Vec<String>>)>,
    asks: &dyn Fn(&str) -> bool,
) -> Vec<Question> {
    let mut questions = Vec::new();
    for (entity, (table, keys)) in keys.iter().filter(|(_, (_, keys))| keys.len() > 1) {
        if !asks(entity) {
            continue;
        }
        let mut question = about_key(entity, table, keys);
        question.answer = answer(answers, &question);
        questions.push(question);
    }
    questions
}

/// What becomes of SQL of a person's own that names what is gone: one question an entity.
pub(super) fn source_questions(answers: &Answers, named: &BTreeMap<String, Vec<Thing>>) -> Vec<Question> {
    let asked = named.iter().map(|(entity, things)| {
        let mut question = about_source(entity, things);
        question.answer = answer(answers, &question);
        question
    });
    asked.collect()
}

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
    /// `returns` tells whether a table is a lost one again.
    pub fn of(
        answers: &Answers,
        before: &BTreeSet<String>,
        changed: &Schema,
        comparison: &Comparison,
        carried: &Schema,
        returns: &dyn Fn(&str) -> bool,
    ) -> NewTables {
        let mut tables = NewTables::default();
        let open: Vec<&String> = comparison.renames.iter().filter(|r| r.column.is_none() && !r.taken).flat_map(|r| &r.candidates).collect();
        for table in &changed.tables {
            if carried.table(&table.name).is_some() || returns(&table.name) {
                continue;
            }
            if open.iter().any(|c| name::same(c, &table.name)) {
                tables.waiting.insert(table.name.clone());
                continue;
            }
            let mut question = about_table(&table.name);
            question.answer = answer(answers, &question).or_else(|| before.contains(&table.name).then(|| "later".to_owned()));
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
        effective.tables.change(
            |table| table.broken.is_some(),
            |table| {
                if let Some(known) = carried.table(&table.name) {
                    table.columns.clone_from(&known.columns);
                }
            },
        );
        effective
    }
}
