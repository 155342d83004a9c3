//! What the merge changes in each file, folded.

use crate::hunks::hunks;
use crate::{FileDiff, Report};
use maud::{Markup, html};
use similar::ChangeTag;
use ysomorph_core::name::shown;

/// Most lines of all files together: a page has to open from a mail.
const MOST_LINES: usize = 6_000;

pub(super) fn diffs(report: &Report) -> Option<Markup> {
    let files: Vec<&FileDiff> = report.diffs.iter().filter(|d| d.is_shown()).collect();
    if files.is_empty() {
        return None;
    }
    let mut room = MOST_LINES;
    let mut told: Vec<(&FileDiff, Option<Markup>)> = Vec::new();
    for file in files {
        let lines = lines(file);
        let fits = lines.len() <= room;
        room -= if fits { lines.len() } else { 0 };
        told.push((file, fits.then(|| markup(&lines))));
    }
    let left_out = told.iter().filter(|(_, content)| content.is_none()).count();
    Some(html! {
        @for (file, content) in &told {
            @if let Some(content) = content {
                details .file { summary { code { (shown(&file.path)) } (fate(file)) } (content) }
            }
        }
        @if left_out > 0 { p { (left_out) " more: " code { "ysomorph merge" } " shows what becomes of them." } }
    })
}

fn fate(file: &FileDiff) -> &'static str {
    match (&file.before, &file.after) {
        (None, _) => " (new)",
        (_, None) => " (goes)",
        _ => "",
    }
}

/// Changed lines with two around them; an empty line where something is left out.
fn lines(file: &FileDiff) -> Vec<(ChangeTag, String)> {
    let (before, after) = (file.before.as_deref().unwrap_or(""), file.after.as_deref().unwrap_or(""));
    let mut lines = Vec::new();
    for hunk in hunks(before, after, 2) {
        if !lines.is_empty() {
            lines.push((ChangeTag::Equal, "⋯".to_owned()));
        }
        lines.extend(hunk.lines.into_iter().map(|(tag, line)| (tag, shown(line.trim_end_matches(['\n', '\r'])))));
    }
    lines
}

fn markup(lines: &[(ChangeTag, String)]) -> Markup {
    html! {
        pre .diff tabindex="0" {
            @for (tag, line) in lines {
                @match tag {
                    ChangeTag::Delete => { del { "-" (line) } }
                    ChangeTag::Insert => { ins { "+" (line) } }
                    ChangeTag::Equal => { span { " " (line) } }
                }
                "\n"
            }
        }
    }
}
