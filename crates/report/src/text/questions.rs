//! Questions with their choices.

use super::style::{bold, good, hint, padded, plural, warm, wrapped};
use crate::Report;
use ysomorph_core::merge::Question;
use ysomorph_core::name::shown;

/// The report of `decide`.
pub fn questions(report: &Report) -> String {
    let open = report.questions.iter().filter(|q| q.is_open()).count();
    let answered = report.questions.len() - open;
    let mut out = match (open, answered) {
        (0, 0) => "No questions.\n".to_owned(),
        (0, n) => format!("No open questions; {} answered.\n", n),
        (n, 0) => format!("{}.\n", plural(n, "open question", "open questions")),
        (n, m) => format!("{}, {m} answered.\n", plural(n, "open question", "open questions")),
    };
    for question in report.questions.iter().filter(|q| q.is_open()).chain(report.questions.iter().filter(|q| !q.is_open())) {
        out.push_str(&self::question(question, false));
    }
    for name in &report.unasked {
        out.push_str(&format!("\nAn answer in decisions.toml is about {}, which nothing asks: it has no effect.\n", shown(name)));
    }
    if !report.left.is_empty() {
        out.push_str(&format!("\n{}\n", bold("Left to you by earlier merges")));
        for (name, message) in &report.left {
            out.push_str(&format!("  done/{}\n      {}\n", shown(name), wrapped(&shown(message), 6, 6)));
        }
    }
    if let Some(first) = report.questions.iter().find(|q| q.is_open()) {
        let choice = first.choices.first().map_or("", String::as_str);
        out.push_str(&format!("\n{}\n", hint(format!("ysomorph decide {} {}", word(&first.name), word(choice)))));
    } else if answered > 0 {
        out.push_str(&format!("\n{}\n", hint("ysomorph merge")));
    }
    out
}

/// One question with its choices, numbered where a number can be given as the answer.
pub fn question(question: &Question, numbered: bool) -> String {
    let mut out = format!("\n{}\n  {}\n", bold(shown(&question.name)), wrapped(&question.text, 2, 2));
    let width = question.choices.iter().map(|c| c.chars().count()).max().unwrap_or(0).min(24);
    for (at, (choice, effect)) in question.choices.iter().zip(&question.effects).enumerate() {
        let mark = match question.answer.as_ref() == Some(choice) {
            _ if numbered => (at + 1).to_string(),
            true => good("*"),
            false => " ".to_owned(),
        };
        let effect = if question.safe == *choice { format!("{effect} (safe)") } else { effect.clone() };
        out.push_str(&format!("  {mark} {}  {}\n", warm(padded(&shown(choice), width)), wrapped(&effect, width + 6, width + 6)));
    }
    if let Some(answer) = &question.answer {
        out.push_str(&format!("    answered: {}\n", shown(answer)));
    }
    out
}

/// A word for the shell, quoted where it must be.
fn word(text: &str) -> String {
    let plain = text.chars().all(|c| c.is_alphanumeric() || "/._-".contains(c));
    if plain { text.to_owned() } else { format!("'{}'", shown(text).replace('\'', "'\\''")) }
}
