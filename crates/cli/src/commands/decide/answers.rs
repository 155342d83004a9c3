//! Answers given on the command line or in a file: each to a question that is asked, all or none.

use super::merged::merged;
use crate::clock::now;
use crate::commands::shared::who;
use crate::error::CliError;
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::merge::{Outcome, Question};
use ysomorph_core::name::{fitting, nearest};
use ysomorph_core::schema::Schema;
use ysomorph_workspace::{Answer, Workspace, answers_of};

/// An answer as it was given.
pub struct Given {
    /// The question's name, or a pattern.
    pub question: String,
    /// The choice.
    pub choice: String,
    /// Who took it; without a name whoever types.
    pub who: Option<String>,
    /// Why.
    pub reason: Option<String>,
}

/// The answers of a file, `-` for standard input.
pub fn read(file: &Path) -> Result<Vec<Given>, CliError> {
    let name = file.display().to_string();
    let text = if name == "-" { std::io::read_to_string(std::io::stdin()) } else { std::fs::read_to_string(file) };
    let text = text.map_err(|e| {
        CliError::new(format!("cannot read the answers in `{name}`: {e}"))
            .hint("write them like decisions.toml: [[answer]] question, choice")
    })?;
    let answers = answers_of(&name, &text).map_err(|e| CliError::files(&[e]))?;
    Ok(answers.into_iter().map(|a| Given { question: a.question, choice: a.choice, who: a.who, reason: a.reason }).collect())
}

/// The answers to what a merge asks: an answer may lead to further questions, which later ones may answer.
///
/// # Errors
/// Where one answers nothing that is asked, or isn't among the choices: then none is taken.
pub fn matched(workspace: &mut Workspace, changed: &Schema, mut outcome: Outcome, given: &[Given]) -> Result<Vec<Answer>, CliError> {
    let mut known = workspace.answer_map();
    let mut taken: BTreeMap<String, Answer> = BTreeMap::new();
    let mut waiting: Vec<&Given> = given.iter().collect();
    loop {
        let before = waiting.len();
        let mut later = Vec::new();
        for one in waiting {
            let questions = asked(&outcome, one)?;
            if questions.is_empty() {
                later.push(one);
            }
            for question in questions {
                let mut answer = answer(workspace, &question.name, &one.choice, one.reason.as_deref());
                answer.who = one.who.clone().or(answer.who);
                known.insert(question.name.clone(), one.choice.clone());
                taken.insert(question.name.clone(), answer);
            }
        }
        match later.first() {
            None => return Ok(taken.into_values().collect()),
            Some(first) if later.len() == before => return Err(not_asked(&outcome, first)),
            Some(_) => waiting = later,
        }
        outcome = merged(workspace, changed, &known)?;
    }
}

/// The question of a name, or the open ones that a pattern fits; none where nothing asks it yet.
fn asked<'a>(outcome: &'a Outcome, given: &Given) -> Result<Vec<&'a Question>, CliError> {
    let mut found: Vec<&Question> = outcome.questions.iter().filter(|q| q.name == given.question).collect();
    if found.is_empty() && given.question.contains('*') {
        let fits = fitting(&given.question);
        found.extend(outcome.open_questions().filter(|q| fits(&q.name)));
    }
    match found.iter().find(|q| !q.choices.contains(&given.choice)) {
        None => Ok(found),
        Some(other) => Err(CliError::new(format!("`{}` is not a choice of `{}`", given.choice, other.name))
            .hint(format!("choose one of: {}", other.choices.join(", ")))),
    }
}

fn not_asked(outcome: &Outcome, given: &Given) -> CliError {
    let error = CliError::new(format!("nothing asks `{}`", given.question));
    match nearest(&given.question, outcome.questions.iter().map(|q| q.name.as_str())) {
        Some(near) => error.hint(format!("did you mean `{near}`?")),
        None => error.hint("`ysomorph decide --list` shows the questions"),
    }
}

/// An answer of whoever types.
pub fn answer(workspace: &Workspace, question: &str, choice: &str, reason: Option<&str>) -> Answer {
    Answer {
        question: question.to_owned(),
        choice: choice.to_owned(),
        who: who(&workspace.root),
        when: Some(now()),
        reason: reason.map(str::to_owned),
    }
}
