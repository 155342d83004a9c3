//! What a merge would write, or wrote: the diff, what is kept, set aside, put back and left to do.

use super::follow_ups::{joined, new};
use super::style::{bad, bold, dim, good, hint, padded, warm, width, wrapped};
use crate::causes::causes;
use crate::hunks::hunks;
use crate::stories::merged;
use crate::wording::{plural, word};
use crate::{FileDiff, KeptReport, PartReport, Report};
use similar::ChangeTag;
use std::collections::BTreeSet;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::name::shown;

/// The report of `merge`.
pub fn merge(report: &Report) -> String {
    let written = report.written == Some(true);
    let edits = report.edits.as_deref().unwrap_or_default();
    let open: Vec<_> = report.questions.iter().filter(|q| q.is_open()).collect();
    let kept = report.kept.as_deref().unwrap_or_default();
    let (aside, back) = (report.set_aside.as_deref().unwrap_or_default(), report.restored.as_deref().unwrap_or_default());
    if report.changes.is_empty() && edits.is_empty() && open.is_empty() && !written {
        let left = new(report, report.follow_ups.as_deref().unwrap_or_default());
        let agrees = match &report.left_for_later {
            Some(later) if !later.is_empty() => "Nothing to merge in this part",
            _ if !report.joined.is_empty() => "The definition agrees with the database",
            _ => "Nothing to merge: the definition agrees with the database",
        };
        let joined = joined(report, "would be written as both sides together");
        let next = if joined.is_empty() { String::new() } else { format!("\n{}\n", hint("ysomorph merge --write")) };
        return format!("{agrees}.\n{joined}{next}{}{}{left}{}", for_later(report), superseded(report), patch(report));
    }
    let left = report.follow_ups.as_deref().unwrap_or_default();
    let mut out = format!("{}\n", wrapped(&merged(report), 0, 0));
    out.push_str(&joined(report, if written { "were written as both sides together" } else { "would be written as both sides together" }));
    out.push_str(&for_later(report));
    if !open.is_empty() && !written {
        let text = format!("{} open: what follows is the result of the safe choices.", plural(open.len(), "question is", "questions are"));
        out.push_str(&format!("{}\n", warm(text)));
    }
    if !open.is_empty() {
        out.push_str(&format!("\n{}\n", bold("You have to answer")));
        let width = open.iter().map(|q| shown(&q.name).width()).max().unwrap_or(0).min(40);
        for question in &open {
            let choice = |choice: &String| format!("{}{}", shown(choice), if *choice == question.safe { " (safe)" } else { "" });
            let choices = question.choices.iter().map(choice).collect::<Vec<_>>().join(" | ");
            let name = padded(&shown(&question.name), width);
            out.push_str(&format!("  {name}  {}\n", dim(wrapped(&choices, name.width() + 4, width + 4))));
        }
    }
    out.push_str(&new(report, left));
    out.push_str(&kept_by_hand(report, kept));
    out.push_str(&parts(report, "Set aside, kept until what it hung on returns", aside));
    out.push_str(&parts(report, "Put back", back));
    out.push_str(&superseded(report));
    for diff in report.diffs.iter().filter(|d| d.is_shown()) {
        out.push_str(&format!("\n{}", unified(diff)));
    }
    out.push_str(&patch(report));
    let only: String = report.only.iter().map(|entity| format!(" {}", word(entity))).collect();
    let part = if only.is_empty() { String::new() } else { format!(" --only{only}") };
    let next = match (written, open.is_empty()) {
        (true, _) => "ysomorph check   (and ysomorph undo takes it all back)".to_owned(),
        (false, false) => format!("ysomorph decide   (or ysomorph merge{part} --write --safe)"),
        (false, true) => format!("ysomorph merge{part} --write"),
    };
    out.push_str(&format!("\n{}\n", hint(next)));
    out
}

/// Most customisations that are listed unless all are wanted.
const MOST_KEPT: usize = 8;

/// What people made and the draft says otherwise now.
fn kept_by_hand(report: &Report, kept: &[KeptReport]) -> String {
    let concerned: Vec<_> = kept.iter().filter(|k| k.concerned || report.verbose).collect();
    if concerned.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", bold(if report.verbose { "Kept" } else { "Kept although the draft changed" }));
    let most = if report.verbose { concerned.len() } else { MOST_KEPT };
    for kept in concerned.iter().take(most) {
        out.push_str(&entry(&kept.path, &shown(&difference(kept))));
    }
    if concerned.len() > most {
        out.push_str(&format!("  {}\n", dim(format!("… and {} more: --verbose shows them", concerned.len() - most))));
    }
    out
}

pub(super) fn unified(diff: &FileDiff) -> String {
    let (before, after) = (diff.before.as_deref().unwrap_or(""), diff.after.as_deref().unwrap_or(""));
    let name = |there: bool| if there { shown(&diff.path) } else { "/dev/null".to_owned() };
    let mut out =
        format!("{}\n{}\n", bold(format!("--- {}", name(diff.before.is_some()))), bold(format!("+++ {}", name(diff.after.is_some()))));
    for hunk in hunks(before, after, 2) {
        out.push_str(&format!("{}\n", dim(hunk.header)));
        for (tag, line) in hunk.lines {
            let line = shown(line.trim_end_matches(['\n', '\r']));
            out.push_str(&match tag {
                ChangeTag::Delete => bad(format!("-{line}")),
                ChangeTag::Insert => good(format!("+{line}")),
                ChangeTag::Equal => format!(" {line}"),
            });
            out.push('\n');
        }
    }
    out
}

/// What a part of a merge leaves for later.
fn for_later(report: &Report) -> String {
    let later = report.left_for_later.as_deref().unwrap_or_default();
    if later.is_empty() {
        return String::new();
    }
    let tables: BTreeSet<String> = later.iter().map(|c| if c.table.is_empty() { shown(&c.subject()) } else { shown(&c.table) }).collect();
    let text = format!("Left for later: {} of {}.", plural(later.len(), "change", "changes"), Vec::from_iter(tables).join(", "));
    format!("{}\n", wrapped(&text, 0, 0))
}

/// Where the patch is, and how it is taken.
fn patch(report: &Report) -> String {
    let Some(patch) = &report.patch else { return String::new() };
    let what = match patch.files.len() {
        0 => "there is no hand-written code that is certain to be rewritten".to_owned(),
        files => format!("{} of hand-written code: git apply {}", plural(files, "file", "files"), shown(&patch.file)),
    };
    format!("\n{}: {what}\n", bold("Patch"))
}

fn superseded(report: &Report) -> String {
    let parts = &report.superseded;
    if parts.is_empty() {
        return String::new();
    }
    // Each says what won't come back: none is like another.
    let told: String = parts.iter().map(|part| entry(&shown(&part.path), &shown(&part.because))).collect();
    format!("\n{}\n{told}", bold("Was set aside, and gave way to what was edited by hand"))
}

/// A line a cause, with what it takes along counted; each part by itself where all is wanted.
fn parts(report: &Report, title: &str, parts: &[PartReport]) -> String {
    if parts.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", bold(title));
    for cause in causes(parts) {
        // One part is named.
        let what = match cause.parts.as_slice() {
            [one] => shown(&one.path),
            _ => cause.counted(),
        };
        out.push_str(&format!("  {}\n", wrapped(&format!("{}: {what}", shown(cause.because)), 2, 6)));
        if report.verbose && cause.parts.len() > 1 {
            cause.parts.iter().for_each(|part| out.push_str(&format!("      {}\n", dim(shown(&part.path)))));
        }
    }
    out
}

/// A path and what is said of it, on the same line where both fit.
fn entry(path: &str, text: &str) -> String {
    let used = path.chars().count() + 4;
    if used + text.chars().count() <= width() {
        format!("  {path}  {}\n", dim(text))
    } else {
        format!("  {path}\n      {}\n", dim(wrapped(text, 6, 6)))
    }
}

/// What is a person's and what the draft has instead; of lists only what they don't share.
fn difference(kept: &KeptReport) -> String {
    let names = |value: &Option<serde_json::Value>| -> Option<Vec<String>> {
        value.as_ref()?.as_array()?.iter().map(|item| item.as_str().map(str::to_owned)).collect()
    };
    if let (Some(yours), Some(draft)) = (names(&kept.yours), names(&kept.draft)) {
        let without =
            |all: &[String], others: &[String]| all.iter().filter(|n| !others.contains(n)).cloned().collect::<Vec<_>>().join(", ");
        let (mine, drafted) = (without(&yours, &draft), without(&draft, &yours));
        return match (mine.is_empty(), drafted.is_empty()) {
            (true, true) => "in your order".to_owned(),
            (false, true) => format!("yours alone: {mine}"),
            (true, false) => format!("the draft has also {drafted}"),
            (false, false) => format!("yours alone: {mine}; the draft has also {drafted}"),
        };
    }
    let yours = kept.yours.as_ref().map_or_else(|| "left out".to_owned(), short);
    let draft = kept.draft.as_ref().map_or_else(|| "nothing".to_owned(), short);
    format!("{yours} (the draft says {draft})")
}

fn short(value: &serde_json::Value) -> String {
    let text = value.to_string();
    if text.chars().count() > 60 { format!("{}…", text.chars().take(59).collect::<String>()) } else { text }
}
