//! What changed in the database.

use super::style::{bad, bold, good, hint, padded, plural, warm, wrapped};
use crate::Report;
use std::collections::BTreeMap;
use ysomorph_core::changes::{Change, ChangeKind};
use ysomorph_core::name::shown;
use ysomorph_core::rename::Evidence;

/// The report of `changes`.
pub fn changes(report: &Report) -> String {
    let counted = report.counted_changes();
    if report.changes.is_empty() {
        return "Nothing changed: the database is as the definition knows it.\n".to_owned();
    }
    let mut by_table: BTreeMap<&str, Vec<&Change>> = BTreeMap::new();
    for change in &report.changes {
        by_table.entry(&change.table).or_default().push(change);
    }
    let mut out = match counted {
        0 => "Nothing changed that counts: the new tables were left for later.\n".to_owned(),
        _ => format!("{} in {}.\n", plural(counted, "change", "changes"), plural(by_table.len(), "table", "tables")),
    };
    for (table, changes) in by_table {
        out.push_str(&format!("\n{}\n", bold(shown(table))));
        let name = |c: &Change| match &c.to {
            Some(to) => format!("{} → {}", shown(c.column.as_deref().unwrap_or(&c.table)), shown(to)),
            None => shown(c.column.as_deref().unwrap_or("")),
        };
        let width = changes.iter().map(|c| name(c).chars().count()).max().unwrap_or(0).min(34);
        for change in changes {
            let (mark, text) = described(change, report);
            // A change of the table as a whole has no name of its own.
            if name(change).is_empty() {
                out.push_str(&format!("  {mark} {}\n", wrapped(&text, 4, 4)));
                continue;
            }
            let used = 6 + width.max(name(change).chars().count());
            out.push_str(&format!("  {mark} {}  {}\n", padded(&name(change), width), wrapped(&text, used, 6 + width.min(28))));
        }
    }
    if report.questions.iter().any(|q| q.is_open()) {
        out.push_str(&format!("\n{}\n", hint("ysomorph impact   (what breaks), then ysomorph decide")));
    } else {
        out.push_str(&format!("\n{}\n", hint("ysomorph impact")));
    }
    out
}

fn described(change: &Change, report: &Report) -> (String, String) {
    let before = shown(change.before.as_deref().unwrap_or("none"));
    let after = shown(change.after.as_deref().unwrap_or("none"));
    let (mark, text) = match change.kind {
        ChangeKind::TableAdded if report.later.contains(&change.table) => ('+', format!("new {after}, left for later")),
        ChangeKind::TableAdded => ('+', format!("new {after}")),
        ChangeKind::TableDropped => ('-', "dropped".to_owned()),
        ChangeKind::ColumnAdded => ('+', format!("new column, {after}")),
        ChangeKind::ColumnDropped if before == "no type" => ('-', "column dropped".to_owned()),
        ChangeKind::ColumnDropped => ('-', format!("column dropped (was {before})")),
        ChangeKind::TableRenamed | ChangeKind::ColumnRenamed => ('>', renamed(change)),
        ChangeKind::TableKindChanged => ('~', format!("{before} became a {after}")),
        ChangeKind::TypeChanged => ('~', format!("type {before} → {after}")),
        ChangeKind::BecameRequired => ('~', "must have a value now (NOT NULL)".to_owned()),
        ChangeKind::BecameOptional => ('~', "may be empty now".to_owned()),
        ChangeKind::DefaultChanged => ('~', format!("default {before} → {after}")),
        ChangeKind::GeneratedChanged => ('~', format!("{before} → {after}")),
        ChangeKind::PrimaryKeyChanged => ('~', format!("primary key ({before}) → ({after})")),
        ChangeKind::ForeignKeyAdded => ('+', format!("foreign key {after}")),
        ChangeKind::ForeignKeyDropped => ('-', format!("foreign key {before}")),
        ChangeKind::UniqueAdded => ('+', format!("unique {after}")),
        ChangeKind::UniqueDropped => ('-', format!("unique {before}")),
        ChangeKind::CheckAdded => ('+', format!("check {after}")),
        ChangeKind::CheckDropped => ('-', format!("check {before}")),
        ChangeKind::ViewChanged => ('~', "the view's statement changed".to_owned()),
        ChangeKind::ViewBroken => ('!', format!("the view can't be read any more: {after}")),
        ChangeKind::TriggerChanged => ('~', format!("trigger {after} changed")),
        ChangeKind::OptionsChanged => ('~', format!("options {before} → {after}")),
    };
    let mark = match mark {
        '+' => good("+"),
        '-' => bad("-"),
        '!' => bad("!"),
        '>' => warm(">"),
        _ => warm("~"),
    };
    (mark, text)
}

fn renamed(change: &Change) -> String {
    match &change.evidence {
        Some(Evidence::Certain { reasons }) => format!("renamed, certainly ({})", reasons.join(", ")),
        Some(evidence) => format!("{} a rename ({})", evidence.words(), evidence.reasons().join(", ")),
        None => "renamed".to_owned(),
    }
}

/// A change as one short phrase, for causes.
pub(super) fn phrase(change: &Change) -> String {
    let name = shown(&change.subject());
    match (&change.to, change.kind) {
        (Some(to), _) => format!("{name} → {}", shown(to)),
        (None, kind) => format!("{name}: {}", kind.name().replace('-', " ")),
    }
}
