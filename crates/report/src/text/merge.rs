//! What a merge would write, or wrote: the diff, what is kept, set aside, put back and left to do.

use super::findings::listed;
use super::style::{WIDTH, bad, bold, dim, good, hint, plural, warm, wrapped};
use crate::{FileDiff, PartReport, Report};
use similar::TextDiff;
use ysomorph_core::name::shown;

/// The report of `merge`.
pub fn merge(report: &Report) -> String {
    let written = report.written == Some(true);
    let edits = report.edits.as_deref().unwrap_or_default();
    let open: Vec<_> = report.questions.iter().filter(|q| q.is_open()).collect();
    let kept = report.kept.as_deref().unwrap_or_default();
    let (aside, back) = (report.set_aside.as_deref().unwrap_or_default(), report.restored.as_deref().unwrap_or_default());
    if report.changes.is_empty() && edits.is_empty() && open.is_empty() && !written {
        return format!("Nothing to merge: the definition agrees with the database.\n{}", superseded(report));
    }
    let files = report.diffs.iter().filter(|d| shown_file(d)).count();
    let verb = if written { "edited" } else { "would edit" };
    let mut first = format!("The merge {verb} {}", plural(files, "file", "files"));
    for (count, one, many) in [(aside.len(), "part is set aside", "parts are set aside"), (back.len(), "part is back", "parts are back")] {
        if count > 0 {
            first.push_str(&format!("; {}", plural(count, one, many)));
        }
    }
    let mut out = format!("{first}.\n{} stay as they are.\n", plural(kept.len(), "customisation", "customisations"));
    if !open.is_empty() && !written {
        let text = format!("{} open: what follows is the result of the safe choices.", plural(open.len(), "question is", "questions are"));
        out.push_str(&format!("{}\n", warm(text)));
    }
    for diff in report.diffs.iter().filter(|d| shown_file(d)) {
        out.push_str(&format!("\n{}", unified(diff)));
    }
    let concerned: Vec<_> = kept.iter().filter(|k| k.concerned || report.verbose).collect();
    if !concerned.is_empty() {
        let title = if report.verbose { "Kept" } else { "Kept although the draft changed" };
        out.push_str(&format!("\n{}\n", bold(title)));
        for kept in concerned {
            let yours = kept.yours.as_ref().map_or_else(|| "left out".to_owned(), |v| shown(&short(v)));
            let draft = kept.draft.as_ref().map_or_else(|| "nothing".to_owned(), |v| shown(&short(v)));
            out.push_str(&entry(&kept.path, &format!("{yours} (the draft says {draft})")));
        }
    }
    out.push_str(&parts("Set aside, kept until what it hung on returns", aside));
    out.push_str(&parts("Put back", back));
    out.push_str(&superseded(report));
    let follow_ups = report.follow_ups.as_deref().unwrap_or_default();
    if !follow_ups.is_empty() {
        out.push_str(&format!("\n{}\n", bold("Left to you")));
        out.push_str(&listed(report, follow_ups));
    }
    if !open.is_empty() {
        out.push_str(&format!("\n{}\n", bold("Open questions")));
        for question in &open {
            out.push_str(&format!(
                "  {}  {}\n",
                shown(&question.name),
                dim(shown(&format!("{}; safe: {}", question.choices.join(" | "), question.safe)))
            ));
        }
    }
    let next = match (written, open.is_empty()) {
        (true, _) => "ysomorph check   (and ysomorph undo takes it all back)",
        (false, false) => "ysomorph decide   (or ysomorph merge --write --safe)",
        (false, true) => "ysomorph merge --write",
    };
    out.push_str(&format!("\n{}\n", hint(next)));
    out
}

/// The workspace's own bookkeeping isn't shown.
fn shown_file(diff: &FileDiff) -> bool {
    !diff.path.starts_with(".ysomorph/")
}

pub(super) fn unified(diff: &FileDiff) -> String {
    let (before, after) = (diff.before.as_deref().unwrap_or(""), diff.after.as_deref().unwrap_or(""));
    let name = |there: bool| if there { shown(&diff.path) } else { "/dev/null".to_owned() };
    let mut out =
        format!("{}\n{}\n", bold(format!("--- {}", name(diff.before.is_some()))), bold(format!("+++ {}", name(diff.after.is_some()))));
    let text = TextDiff::from_lines(before, after);
    for hunk in text.unified_diff().context_radius(2).iter_hunks() {
        out.push_str(&format!("{}\n", dim(hunk.header())));
        for change in hunk.iter_changes() {
            let line = shown(change.value().trim_end_matches(['\n', '\r']));
            out.push_str(&match change.tag() {
                similar::ChangeTag::Delete => bad(format!("-{line}")),
                similar::ChangeTag::Insert => good(format!("+{line}")),
                similar::ChangeTag::Equal => format!(" {line}"),
            });
            out.push('\n');
        }
    }
    out
}

fn superseded(report: &Report) -> String {
    parts("Was set aside, and gave way to what was edited by hand", &report.superseded)
}

fn parts(title: &str, parts: &[PartReport]) -> String {
    if parts.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", bold(title));
    for part in parts {
        out.push_str(&entry(&shown(&part.path), &shown(&part.because)));
    }
    out
}

/// A path and what is said of it, on the same line where both fit.
fn entry(path: &str, text: &str) -> String {
    let used = path.chars().count() + 4;
    if used + text.chars().count() <= WIDTH {
        format!("  {path}  {}\n", dim(text))
    } else {
        format!("  {path}\n      {}\n", dim(wrapped(text, 6, 6)))
    }
}

fn short(value: &serde_json::Value) -> String {
    let text = value.to_string();
    if text.chars().count() > 60 { format!("{}…", text.chars().take(59).collect::<String>()) } else { text }
}
