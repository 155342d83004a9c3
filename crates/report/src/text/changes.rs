//! What changed in the database.

use super::style::{bad, bold, good, hint, padded, warm, wrapped};
use crate::Report;
use crate::wording::{described, plural};
use std::collections::BTreeMap;
use ysomorph_core::changes::Change;
use ysomorph_core::name::shown;

/// The report of `changes`.
pub fn changes(report: &Report) -> String {
    let counted = report.counted_changes();
    if report.changes.is_empty() {
        return match report.alone {
            true => "Nothing changed: both schemas say the same.\n".to_owned(),
            false => "Nothing changed: the database is as the definition knows it.\n".to_owned(),
        };
    }
    let mut by_table: BTreeMap<&str, Vec<&Change>> = BTreeMap::new();
    for change in &report.changes {
        by_table.entry(&change.table).or_default().push(change);
    }
    let mut out = match counted {
        0 => "Nothing changed that counts: the new tables were left for later.\n".to_owned(),
        _ => format!("{} in {}.\n", plural(counted, "change", "changes"), places(&by_table)),
    };
    for (table, changes) in by_table {
        let heading = if table.is_empty() { "besides the tables".to_owned() } else { shown(table) };
        out.push_str(&format!("\n{}\n", bold(heading)));
        let name = |c: &Change| match &c.to {
            Some(to) => format!("{} → {}", shown(c.column.as_deref().unwrap_or(&c.table)), shown(to)),
            None if c.table.is_empty() => shown(c.object.as_deref().unwrap_or_default()),
            None => shown(c.column.as_deref().unwrap_or_default()),
        };
        let width = changes.iter().map(|c| name(c).chars().count()).max().unwrap_or(0).min(34);
        for change in changes {
            let (mark, text) = described(change, &report.later);
            let mark = coloured(mark);
            // A change of the table as a whole has no name of its own.
            if name(change).is_empty() {
                out.push_str(&format!("  {mark} {}\n{}", wrapped(&text, 4, 4), by(change, report)));
                continue;
            }
            let used = 6 + width.max(name(change).chars().count());
            out.push_str(&format!("  {mark} {}  {}\n", padded(&name(change), width), wrapped(&text, used, 6 + width.min(28))));
            out.push_str(&by(change, report));
        }
    }
    if let Some(reason) = report.log.as_ref().filter(|_| report.by) {
        out.push_str(&format!("\n{reason}\n"));
    }
    if report.alone {
        return out;
    }
    if report.questions.iter().any(|q| q.is_open()) {
        out.push_str(&format!("\n{}\n", hint("ysomorph impact   (what breaks), then ysomorph decide")));
    } else {
        out.push_str(&format!("\n{}\n", hint("ysomorph impact")));
    }
    out
}

/// `3 tables`, and whether something else changed.
fn places(by_table: &BTreeMap<&str, Vec<&Change>>) -> String {
    let tables = by_table.keys().filter(|t| !t.is_empty()).count();
    match (tables, by_table.contains_key("")) {
        (0, _) => "what there is besides tables".to_owned(),
        (n, false) => plural(n, "table", "tables"),
        (n, true) => format!("{} and besides", plural(n, "table", "tables")),
    }
}

fn coloured(mark: char) -> String {
    match mark {
        '+' => good("+"),
        '-' | '!' => bad(mark),
        _ => warm(mark),
    }
}

/// Who made a change, as the change log tells: a line of its own.
fn by(change: &Change, report: &Report) -> String {
    let Some(by) = change.by.first().filter(|_| report.by) else { return String::new() };
    let part = |text: &Option<String>, before: &str| text.as_ref().map_or_else(String::new, |t| format!("{before}{}", shown(t)));
    // The log keeps the whole statement; its beginning is enough to recognise it.
    let statement = by.statement.as_ref().map(|s| {
        let line = s.split_whitespace().collect::<Vec<_>>().join(" ");
        let cut: String = line.chars().take(110).collect();
        if cut.len() < line.len() { format!("{cut}…") } else { cut }
    });
    let text = format!("by{}{}{}", part(&by.who, " "), part(&by.when, " on "), part(&statement, ": "));
    format!("      {}\n", wrapped(&text, 6, 8))
}
