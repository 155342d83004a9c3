//! The questions that a merge asks, each with the answer it was given.

use super::element::Element;
use super::loss::Pending;
use super::memory::{Fact, Part, Thing};
use super::outcome::Input;
use super::questions::{Question, about_key, about_rename, about_source};
use crate::changes::Comparison;
use crate::definition::{FileKey, Tree};
use crate::name;
use std::collections::BTreeMap;

/// The answer to a question, where it is one of its choices.
pub(super) fn answer(input: &Input<'_>, question: &Question) -> Option<String> {
    input.answers.get(&question.name).filter(|a| question.choices.contains(a)).cloned()
}

/// What tells the records of a view apart, where that is a guess: asked for a new entity, and where the key it had is gone.
pub(super) fn key_questions(
    input: &Input<'_>,
    keys: &BTreeMap<String, (String, Vec<Vec<String>>)>,
    yours: &Tree,
    pending: &Pending,
) -> Vec<Question> {
    let mut questions = Vec::new();
    for (entity, (table, keys)) in keys.iter().filter(|(_, (_, keys))| keys.len() > 1) {
        let file = FileKey::Entity(entity.clone());
        if yours.files.contains_key(&file) && !pending.contains_key(&Element::file(file.clone()).key("key")) {
            continue;
        }
        let mut question = about_key(entity, table, keys);
        question.answer = answer(input, &question);
        questions.push(question);
    }
    questions
}

/// What becomes of SQL of a person's own that names what is gone: one question an entity, whether it was given up or is still there.
pub(super) fn source_questions(input: &Input<'_>, asked: &BTreeMap<Element, Vec<Thing>>, set_aside: &[Part]) -> Vec<Question> {
    let mut by_entity: BTreeMap<&str, Vec<Thing>> = BTreeMap::new();
    for part in set_aside.iter().filter(|p| p.element.key_at(0) == Some("source")) {
        if let Fact::Needs(things) = &part.fact {
            by_entity.entry(part.element.file.name()).or_default().extend(things.iter().cloned());
        }
    }
    for (element, things) in asked {
        by_entity.entry(element.file.name()).or_default().extend(things.iter().cloned());
    }
    by_entity
        .into_iter()
        .map(|(entity, things)| {
            let mut question = about_source(entity, &things);
            question.answer = answer(input, &question);
            question
        })
        .collect()
}

/// Renames to ask about. A column's is asked once its table's is settled.
pub(super) fn rename_questions(input: &Input<'_>, comparison: &Comparison) -> Vec<Question> {
    let unsettled = |table: &str| comparison.renames.iter().any(|r| r.column.is_none() && !r.taken && name::same(&r.table, table));
    let asked = comparison.renames.iter().filter(|r| !r.candidates.is_empty() && (r.column.is_none() || !unsettled(&r.table)));
    asked
        .filter(|r| !r.taken || input.answers.contains_key(&r.question()))
        .map(|r| {
            let mut question = about_rename(r);
            question.answer = input.answers.get(&question.name).filter(|a| r.taken && (question.choices.contains(a))).cloned();
            question
        })
        .collect()
}
