//! Questions with their choices.

use super::follow_ups;
use super::style::{bold, good, hint, padded, warm, wrapped};
use crate::Report;
use crate::wording::{plural, word};
use ysomorph_core::merge::{Effect, Question};
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
        out.push_str(&self::question(question));
    }
    for name in &report.unasked {
        out.push_str(&format!("\nAn answer in decisions.toml is about {}, which nothing asks: it has no effect.\n", shown(name)));
    }
    out.push_str(&follow_ups::still_open(&report.open_follow_ups));
    if let Some(first) = report.questions.iter().find(|q| q.is_open()) {
        let choice = first.choices.first().map_or("", String::as_str);
        out.push_str(&format!("\n{}\n", hint(format!("ysomorph decide {} {}", word(&first.name), word(choice)))));
    } else if answered > 0 {
        out.push_str(&format!("\n{}\n", hint("ysomorph merge")));
    }
    out
}

/// One question with its choices.
fn question(question: &Question) -> String {
    let mut out = format!("\n{}\n  {}\n", bold(shown(&question.name)), wrapped(&question.text, 2, 2));
    let width = question.choices.iter().map(|c| c.chars().count()).max().unwrap_or(0).min(24);
    for (choice, effect) in question.choices.iter().zip(&question.effects) {
        let mark = if question.answer.as_ref() == Some(choice) { good("*") } else { " ".to_owned() };
        let effect = if question.safe == *choice { format!("{effect} (safe)") } else { effect.clone() };
        out.push_str(&format!("  {mark} {}  {}\n", warm(padded(&shown(choice), width)), wrapped(&effect, width + 6, width + 6)));
    }
    if let Some(answer) = &question.answer {
        out.push_str(&format!("    answered: {}\n", shown(answer)));
    }
    out
}

/// A question in a dialogue: its choices, one of them marked, and what that one would do.
pub fn question_marked(question: &Question, marked: usize, effect: Option<&Effect>) -> String {
    let mut out = format!("{}\n{}\n\n", bold(shown(&question.name)), wrapped(&question.text, 0, 0));
    let width = question.choices.iter().map(|c| c.chars().count()).max().unwrap_or(0).min(24);
    for (at, (choice, does)) in question.choices.iter().zip(&question.effects).enumerate() {
        let does = if question.safe == *choice { format!("{does} (safe)") } else { does.clone() };
        let name = padded(&shown(choice), width);
        let (arrow, name) = if at == marked { (">", bold(name)) } else { (" ", name) };
        out.push_str(&format!("{arrow} {} {name}  {}\n", at + 1, wrapped(&does, width + 6, width + 6)));
    }
    out.push_str(&effect.map(in_full).unwrap_or_default());
    out
}

/// Most paths of one kind that a dialogue lists.
const MOST_PATHS: usize = 6;

/// What a choice would do, place by place.
fn in_full(effect: &Effect) -> String {
    let lines = [
        ("edits", &effect.edits),
        ("sets aside", &effect.set_aside),
        ("puts back", &effect.restored),
        ("on pages", &effect.pages),
        ("then asks", &effect.opens),
    ];
    let mut out = format!("\n{}\n", bold(format!("What {} does that another choice doesn't", shown(&effect.choice))));
    for (what, paths) in lines.iter().filter(|(_, paths)| !paths.is_empty()) {
        let mut listed: Vec<String> = paths.iter().take(MOST_PATHS).map(|path| shown(path)).collect();
        if paths.len() > MOST_PATHS {
            listed.push(format!("and {} more", paths.len() - MOST_PATHS));
        }
        out.push_str(&format!("  {}  {}\n", padded(what, 10), wrapped(&listed.join(", "), 14, 14)));
    }
    if lines.iter().all(|(_, paths)| paths.is_empty()) {
        out.push_str("  nothing in the definition\n");
    }
    out
}
