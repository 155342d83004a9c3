//! What breaks, told by cause: a change, then everything it touches, so that twenty findings read as one story.

use super::findings::listed;
use super::places::position;
use super::style::{bold, dim, edges, good, hint, severity, width, wrapped};
use crate::stories::{Entry, Story, beside, counts, entries, remedy, sentence, stories};
use crate::wording::{phrase, plainly, plural};
use crate::{Order, Report};
use std::collections::BTreeMap;
use ysomorph_core::changes::Change;
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::name::shown;

/// The report of `impact`.
pub fn impact(report: &Report) -> String {
    let findings = report.findings.as_deref().unwrap_or_default();
    let outcome = wrapped(&sentence(report), 0, 0).replacen("nothing breaks", &good("nothing breaks"), 1);
    let mut out = format!("{outcome}\n");
    if findings.is_empty() {
        return out;
    }
    match report.order {
        Order::Cause => stories(report).iter().for_each(|one| out.push_str(&story(report, one))),
        Order::Entity => out.push_str(&listed(report, findings)),
        Order::Severity => {
            for wanted in [Severity::Break, Severity::Risk, Severity::Note] {
                let these: Vec<&Finding> = findings.iter().filter(|f| f.severity == wanted).collect();
                if !these.is_empty() {
                    out.push_str(&format!("\n{}\n", bold(format!("{}s", wanted.word()))));
                    out.push_str(&told(report, &entries(report, &these), None));
                }
            }
        }
    }
    let open = report.questions.iter().filter(|q| q.is_open()).count();
    let next = match (open, report.changes.is_empty()) {
        (0, true) => "ysomorph check   (is the definition sound in itself?)".to_owned(),
        (0, false) => "ysomorph merge   (shows what it would write)".to_owned(),
        (open, _) => format!("ysomorph decide   ({} to answer)", plural(open, "question", "questions")),
    };
    out.push_str(&format!("\n{}\n", hint(next)));
    out
}

/// A change in at most so many characters.
fn title(change: &Change, room: usize) -> String {
    let text = match change.to {
        Some(_) => phrase(change),
        None => {
            let subject = if change.table.is_empty() { String::new() } else { format!("{}: ", shown(&change.subject_in_table())) };
            format!("{subject}{}", plainly(change))
        }
    };
    if text.chars().count() <= room {
        return text;
    }
    let short: String = text.chars().take(room.saturating_sub(1)).collect();
    format!("{}…", short.trim_end())
}

/// A story: its cause, what is usual in it, and what it touches.
fn story(report: &Report, story: &Story<'_>) -> String {
    let counted = counts(story.totals);
    let room = width().saturating_sub(counted.chars().count() + 2);
    let title = story.change.map_or_else(|| "So before the change".to_owned(), |change| title(change, room));
    let line = edges(&title, &counted);
    let mut out = format!("\n{}{}\n", bold(&title), line.get(title.len()..).unwrap_or_default());
    let evidence = story.change.and_then(|c| c.evidence.as_ref()).map(|e| format!("{} a rename", e.words()));
    let about: Vec<String> = evidence.into_iter().chain(story.usual.map(str::to_owned)).collect();
    if !about.is_empty() {
        out.push_str(&format!("  {}\n", dim(wrapped(&about.join("; "), 2, 2))));
    }
    out.push_str(&told(report, &story.entries, Some(story)));
    out
}

/// Most entries of one rule in a story; `--verbose` shows all.
const ENTRIES: usize = 50;

/// Each entry in two lines.
fn told(report: &Report, entries: &[Entry<'_>], story: Option<&Story<'_>>) -> String {
    let mut out = String::new();
    let (cause, usual) = (story.and_then(|s| s.change), story.filter(|s| s.change.is_some()).and_then(|s| s.usual));
    let mut told: BTreeMap<&str, usize> = BTreeMap::new();
    for entry in entries {
        let first = entry.first;
        let count = told.entry(first.rule).or_default();
        *count += 1;
        if *count > ENTRIES && !report.verbose {
            continue;
        }
        let mut text = format!("{}: {}", entry.place, shown(beside(first, cause)));
        if !entry.elsewhere.is_empty() {
            text.push_str(&format!("; and so {}", entry.elsewhere.join("; ")));
        }
        if let Some(then) = remedy(first).filter(|then| usual != Some(*then)) {
            text.push_str(&format!(" ({then})"));
        }
        out.push_str(&format!("  {} {}\n", severity(first.severity), wrapped(&text, 8, 8)));
        out.push_str(&position(report, first));
        if !first.help.is_empty() {
            out.push_str(&format!("        {}\n", dim(wrapped(&shown(&first.help), 8, 8))));
        }
    }
    for (rule, count) in told.into_iter().filter(|(_, count)| *count > ENTRIES && !report.verbose) {
        out.push_str(&format!("        {}\n", dim(format!("{} more of {rule}: --verbose shows them", count - ENTRIES))));
    }
    out
}
