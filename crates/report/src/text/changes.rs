//! What changed in the database.

use super::style::{bad, bold, good, hint, padded, plural, warm, wrapped};
use crate::Report;
use std::collections::BTreeMap;
use ysomorph_core::changes::{Change, ChangeKind};
use ysomorph_core::draft::unit_of;
use ysomorph_core::name::shown;
use ysomorph_core::rename::Evidence;

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
            let (mark, text) = described(change, report);
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

fn described(change: &Change, report: &Report) -> (String, String) {
    // Databases break the lines of what they print; here it runs on.
    let plain = |text: &Option<String>| shown(&text.as_deref().unwrap_or("none").split_whitespace().collect::<Vec<_>>().join(" "));
    let (before, after) = (plain(&change.before), plain(&change.after));
    let (mark, text) = match change.kind {
        ChangeKind::TableAdded if report.later.contains(&change.table) => ('+', format!("new {after}, left for later")),
        ChangeKind::TableAdded => ('+', format!("new {after}")),
        ChangeKind::TableDropped => ('-', format!("dropped{}", perhaps(change))),
        ChangeKind::ColumnAdded => ('+', format!("new column, {after}")),
        ChangeKind::ColumnDropped if before == "no type" => ('-', format!("column dropped{}", perhaps(change))),
        ChangeKind::ColumnDropped => ('-', format!("column dropped (was {before}){}", perhaps(change))),
        ChangeKind::TableRenamed | ChangeKind::ColumnRenamed => ('>', renamed(change)),
        ChangeKind::TableKindChanged => ('~', format!("{before} became a {after}")),
        ChangeKind::TypeChanged => {
            let relation = change.relation.map_or(String::new(), |r| format!(" ({})", r.word()));
            ('~', format!("type {before} → {after}{relation}"))
        }
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
        ChangeKind::OptionsChanged => ('~', format!("options {before} → {after}")),
        ChangeKind::OnUpdateChanged => ('~', format!("on update {before} → {after}")),
        ChangeKind::CollationChanged => ('~', format!("sorted and compared by {after} (was {before})")),
        ChangeKind::CommentChanged => {
            ('~', format!("comment {} → {}", quoted_text(change.before.as_deref()), quoted_text(change.after.as_deref())))
        }
        ChangeKind::PartitioningChanged => ('~', format!("partitioned {before} → {after}")),
        ChangeKind::InheritanceChanged => ('~', format!("inherits from {after} (was {before})")),
        ChangeKind::RowSecurityChanged => ('!', format!("row policies are {after} (were {before})")),
        ChangeKind::OwnerChanged => ('~', format!("owned by {after} (was {before})")),
        _ => of_object(change, &before, &after),
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

/// The names that something dropped may have now.
fn perhaps(change: &Change) -> String {
    let names: Vec<String> = change.candidates.iter().map(|name| format!("`{}`", shown(name))).collect();
    match names.as_slice() {
        [] => String::new(),
        [one] => format!("; {one} may be its new name"),
        several => format!("; one of {} may be its new name", several.join(", ")),
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

fn quoted_text(text: Option<&str>) -> String {
    text.map_or_else(|| "none".to_owned(), |t| format!("“{}”", shown(t)))
}

/// What happened to an index, trigger, policy, grant, type, sequence, routine or event: its kind says it in words.
fn of_object(change: &Change, before: &str, after: &str) -> (char, String) {
    let kind = change.kind.name();
    let (noun, what) = kind.rsplit_once('-').unwrap_or((&kind, ""));
    let noun = match noun {
        "default-grants" => "default grants".to_owned(),
        "enum" => "list of values".to_owned(),
        "composite" | "range" => format!("{noun} type"),
        other => other.replace('-', " "),
    };
    let name = shown(change.object.as_deref().unwrap_or_default());
    // A grant's text names its role, a partition's is its name.
    let named = if matches!(noun.as_str(), "grant") || change.table.is_empty() { noun } else { format!("{noun} {name}") };
    match what {
        "added" if after == "none" || after == name => ('+', format!("new {named}")),
        "added" => ('+', format!("new {named}: {after}")),
        "dropped" if before == "none" || before == name => ('-', format!("{named} dropped")),
        "dropped" => ('-', format!("{named} dropped (was {before})")),
        _ if before == after => ('~', format!("{named} changed: {after}, with another body")),
        _ => ('~', format!("{named} {before} → {after}")),
    }
}

fn renamed(change: &Change) -> String {
    match &change.evidence {
        Some(Evidence::Certain { reasons }) => format!("renamed, certainly ({})", reasons.join(", ")),
        Some(evidence) => format!("{} a rename ({})", evidence.words(), evidence.reasons().join(", ")),
        None => "renamed".to_owned(),
    }
}

/// What happened, in words.
pub(super) fn plainly(change: &Change) -> String {
    let (_, text) = described(change, &Report::default());
    // Elsewhere a mark says whether it came or went.
    match change.kind.name().rsplit_once('-') {
        Some((_, "added")) if !text.starts_with("new ") => format!("new {text}"),
        Some((_, "dropped")) if !text.contains("dropped") => format!("{text} dropped"),
        _ => text,
    }
}

/// What is called otherwise now, and whether its values may be in another unit.
pub(crate) fn is_called_now(change: &Change) -> String {
    let (old, to) = (change.column.as_deref().unwrap_or(&change.table), change.to.as_deref().unwrap_or_default());
    let units = (unit_of(old), unit_of(to));
    let other = matches!(units, (Some(old), Some(new)) if old != new);
    let note = if other { "; the values may be in another unit now: look at what is computed from them" } else { "" };
    format!("{} is {} now{note}", shown(&change.subject()), shown(to))
}

/// A change as one short phrase, for causes.
pub(super) fn phrase(change: &Change) -> String {
    let name = shown(&change.subject());
    match (&change.to, change.kind) {
        (Some(to), _) => format!("{name} → {}", shown(to)),
        (None, kind) => format!("{name}: {}", kind.name().replace('-', " ")),
    }
}
