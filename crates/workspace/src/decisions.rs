//! `decisions.toml`: answers that wait for the next merge. People may edit it, so it is edited, not rewritten.

use crate::files::{FileError, read_state, read_text};
use crate::toml;
use serde::{Deserialize, Serialize};
use std::path::Path;
use ysomorph_kept::{Id, Line, What};

/// The file.
pub(crate) const FILE: &str = "decisions.toml";

/// An answer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Answer {
    /// The question's stable name.
    pub question: String,
    /// The choice taken.
    pub choice: String,
    /// Who took it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// When.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub when: Option<String>,
    /// Why, if said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Decisions {
    /// Version of the format; a newer one is refused before it is read.
    #[serde(default)]
    #[allow(dead_code, reason = "looked at before the rest is read")]
    format: Option<u32>,
    #[serde(default)]
    answer: Vec<Answer>,
}

/// The answers of a workspace.
pub(crate) fn read(root: &Path) -> Result<Vec<Answer>, FileError> {
    match read_text(root, FILE)? {
        Some(text) => read_state::<Decisions>(FILE, &text).map(|d| d.answer),
        None => Ok(Vec::new()),
    }
}

/// The answers of another file that is written like `decisions.toml`.
///
/// # Errors
/// Where it isn't.
pub fn answers_of(file: &str, text: &str) -> Result<Vec<Answer>, FileError> {
    read_state::<Decisions>(file, text).map(|d| d.answer)
}

/// The file's text with these answers added; an earlier answer to the same question goes.
pub(crate) fn with(text: Option<&str>, answers: &[Answer]) -> Option<String> {
    let names: Vec<&str> = answers.iter().map(|a| a.question.as_str()).collect();
    let mut text = without(text?, &names)?;
    for answer in answers {
        if !text.is_empty() && !text.ends_with('\n') {
            text.push('\n');
        }
        if !text.trim().is_empty() {
            text.push('\n');
        }
        text.push_str("[[answer]]\n");
        let lines = [
            ("question", Some(&answer.question)),
            ("choice", Some(&answer.choice)),
            ("who", answer.who.as_ref()),
            ("when", answer.when.as_ref()),
            ("reason", answer.reason.as_ref()),
        ];
        for (key, value) in lines {
            if let Some(value) = value {
                text.push_str(&format!("{key} = {}\n", toml::render_value(&value.as_str().into())));
            }
        }
    }
    Some(text)
}

/// The file's text without the answers to these questions; everything else keeps its bytes.
pub(crate) fn without(text: &str, questions: &[&str]) -> Option<String> {
    let mut tiles = ysomorph_kept::read(text).ok()?;
    let asked = |line: &&Line| line.what() == What::Key && line.path() == ["answer", "question"];
    let about = |line: &Line| {
        let value = tiles.written(line.id()).and_then(|raw| toml::parse_value(&raw));
        value.is_some_and(|v| v.as_text().is_some_and(|q| questions.contains(&q)))
    };
    let blocks: Vec<Id> = tiles.lines().iter().filter(asked).filter(|l| about(l)).filter_map(|l| l.blocks().last().copied()).collect();
    let gone: Vec<Id> = tiles.lines().iter().filter(|l| l.blocks().last().is_some_and(|b| blocks.contains(b))).map(|l| l.id()).collect();
    gone.into_iter().for_each(|line| tiles.delete(line));
    let text = tiles.shown();
    Some(if text.trim().is_empty() { String::new() } else { text })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_come_and_go_without_touching_the_rest() {
        let answer = |q: &str| Answer { question: q.into(), choice: "in".into(), who: Some("Ada".into()), when: None, reason: None };
        let text = "# ours\n\n[[answer]]\nquestion = \"table/a\" # kept\nchoice = \"later\"\n";
        let more = with(Some(text), &[answer("table/b"), answer("table/c")]).unwrap();
        assert!(more.starts_with(text));
        assert_eq!(without(&more, &["table/b", "table/c"]).unwrap(), text);
        assert_eq!(without(&with(Some(""), &[answer("table/b")]).unwrap(), &["table/b"]).unwrap(), "");
    }
}
