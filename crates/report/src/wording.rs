//! Changes and counts in words, without colour or layout.

use ysomorph_core::changes::{Change, ChangeKind};
use ysomorph_core::draft::unit_of;
use ysomorph_core::name::shown;
use ysomorph_core::rename::Evidence;

/// `1 change`, `2 changes`.
pub fn plural(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}

/// What happened to a table or column: a mark (`+` came, `-` went, `>` is called otherwise, `!` can't be used, `~` changed) and the words.
/// Tables in `later` were left for later.
pub(crate) fn described(change: &Change, later: &[String]) -> (char, String) {
    // Databases break the lines of what they print; here it runs on.
    let plain = |text: &Option<String>| shown(&text.as_deref().unwrap_or("none").split_whitespace().collect::<Vec<_>>().join(" "));
    let (before, after) = (plain(&change.before), plain(&change.after));
    match change.kind {
        ChangeKind::TableAdded if later.contains(&change.table) => ('+', format!("new {after}, left for later")),
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
    }
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
pub(crate) fn plainly(change: &Change) -> String {
    let (_, text) = described(change, &[]);
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
pub(crate) fn phrase(change: &Change) -> String {
    let name = shown(&change.subject());
    match (&change.to, change.kind) {
        (Some(to), _) => format!("{name} → {}", shown(to)),
        (None, kind) => format!("{name}: {}", kind.name().replace('-', " ")),
    }
}

/// A word for the shell, quoted where it must be.
pub(crate) fn word(text: &str) -> String {
    let plain = text.chars().all(|c| c.is_alphanumeric() || "/._-".contains(c));
    if plain { text.to_owned() } else { format!("'{}'", shown(text).replace('\'', "'\\''")) }
}
