//! What was written, as people tell it: who, when, what changed in the database, what was answered and why, what became of it.

use super::merge::unified;
use super::style::{bold, dim, heading, wrapped};
use crate::wording::{phrase, plural};
use crate::{EntryReport, FileDiff};
use std::collections::BTreeMap;
use ysomorph_core::name::shown;

/// Most paths that an entry lists of one cause.
const MOST_PATHS: usize = 4;

/// Every entry in two lines, the latest first.
pub fn history(entries: &[EntryReport]) -> String {
    if entries.is_empty() {
        return "No merges yet.\n".to_owned();
    }
    let mut out = String::new();
    for entry in entries.iter().rev() {
        out.push_str(&format!("{}\n  {}\n", title(entry), wrapped(&shown(&summary(entry)), 2, 2)));
    }
    out
}

/// One entry in full.
pub fn history_entry(entry: &EntryReport, with_diffs: bool) -> String {
    let mut out = format!("{}\n  {}\n", title(entry), wrapped(&shown(&summary(entry)), 2, 2));
    if !entry.changes.is_empty() {
        out.push_str(&section("Changed in the database"));
        for change in &entry.changes {
            let by: Vec<String> = change.by.iter().filter_map(|by| by.who.clone()).collect();
            let by = if by.is_empty() { String::new() } else { format!("  (by {})", by.join(", ")) };
            out.push_str(&format!("  {}\n", wrapped(&format!("{}{}", phrase(change), shown(&by)), 2, 4)));
        }
    }
    if !entry.answers.is_empty() {
        out.push_str(&section("Answered"));
        for answer in &entry.answers {
            out.push_str(&format!("  {}: {}\n", shown(&answer.question), shown(&answer.choice)));
            let who: Vec<String> = [answer.who.clone(), answer.when.as_deref().map(moment)].into_iter().flatten().collect();
            let said = match (&answer.reason, who.as_slice()) {
                (Some(reason), []) => reason.clone(),
                (Some(reason), who) => format!("{reason} ({})", who.join(", ")),
                (None, who) => who.join(", "),
            };
            if !said.is_empty() {
                out.push_str(&format!("      {}\n", dim(wrapped(&shown(&said), 6, 6))));
            }
        }
    }
    for (title, parts) in [("Set aside", &entry.set_aside), ("Put back", &entry.restored)] {
        let mut by_cause: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
        parts.iter().for_each(|part| by_cause.entry(&part.because).or_default().push(&part.path));
        if !by_cause.is_empty() {
            out.push_str(&section(title));
        }
        for (because, paths) in by_cause {
            let more = paths.len().saturating_sub(MOST_PATHS);
            let mut listed: Vec<String> = paths.iter().take(MOST_PATHS).map(|path| shown(path)).collect();
            listed.extend((more > 0).then(|| format!("and {more} more")));
            out.push_str(&format!("  {}\n      {}\n", wrapped(&shown(because), 2, 2), wrapped(&listed.join(", "), 6, 6)));
        }
    }
    if !entry.left.is_empty() {
        out.push_str(&section("Left to people"));
        for part in &entry.left {
            out.push_str(&format!("  {}\n      {}\n", shown(&part.path), dim(wrapped(&shown(&part.because), 6, 6))));
        }
    }
    let read: Vec<&FileDiff> = entry.files.iter().filter(|file| is_read(file)).collect();
    if !read.is_empty() {
        out.push_str(&section("Files"));
    }
    for file in &read {
        let what = match (&file.before, &file.after, entry.untold.contains(&file.path)) {
            (_, _, true) => "  (the entry doesn't tell what it held after)",
            (None, ..) => "  (new)",
            (_, None, _) => "  (gone)",
            _ => "",
        };
        out.push_str(&format!("  {}{}\n", shown(&file.path), dim(what)));
    }
    if with_diffs {
        for diff in read.into_iter().filter(|file| !entry.untold.contains(&file.path)) {
            out.push_str(&format!("\n{}", unified(diff)));
        }
    }
    out
}

/// Whether people read it: not the workspace's own bookkeeping, nor the answers, which are told.
fn is_read(file: &FileDiff) -> bool {
    !file.path.starts_with(".ysomorph/") && file.path != "decisions.toml"
}

fn section(title: &str) -> String {
    format!("\n{}\n", bold(title))
}

fn title(entry: &EntryReport) -> String {
    let who = entry.who.as_ref().map_or_else(String::new, |who| format!("  {}", shown(who)));
    let state = if entry.taken_back { "  (taken back)" } else { "" };
    format!("{}  {}{who}{state}", heading(&entry.id), moment(&entry.when))
}

/// `2026-11-27T10:20:30Z` as people read it.
fn moment(when: &str) -> String {
    when.replacen('T', " ", 1).trim_end_matches('Z').to_owned()
}

fn summary(entry: &EntryReport) -> String {
    if !entry.undoes.is_empty() {
        return format!("undo of {}", entry.undoes.join(", "));
    }
    let files = entry.files.iter().filter(|file| is_read(file)).count();
    let changes = plural(entry.changes.len(), "change of the database", "changes of the database");
    if files == 0 && entry.changes.is_empty() {
        return "brought two branches together, with nothing to do in the definition".to_owned();
    }
    if files == 0 {
        return format!("accepted {changes}, with nothing to do in the definition");
    }
    let mut parts = vec![format!("merged {changes} into {}", plural(files, "file", "files"))];
    for (count, one, many) in [
        (entry.set_aside.len(), "part set aside", "parts set aside"),
        (entry.restored.len(), "part put back", "parts put back"),
        (entry.left.len(), "follow-up", "follow-ups"),
    ] {
        if count > 0 {
            parts.push(plural(count, one, many));
        }
    }
    parts.join("; ")
}
