//! Who made each change, by the database's change log.

use super::change::{Change, ChangeKind, MadeBy};
use crate::name;
use crate::rename::{RenameMap, logged_since};
use crate::schema::{Engine, Schema, TrailEntry};
use crate::sql;

/// Adds to each change the log's entry that made it: the newest that is about the same thing and does such a thing.
pub(super) fn tell_by(changes: &mut [Change], accepted: &Schema, changed: &Schema, names: &RenameMap) {
    let entries = logged_since(accepted, changed);
    if entries.is_empty() {
        return;
    }
    for change in changes {
        if let Some(entry) = entries.iter().rev().find(|e| made(e, change, names)) {
            let statement = Some(entry.statement.trim().to_owned());
            change.by.push(MadeBy { who: Some(entry.who.clone()), when: Some(entry.at.clone()), statement });
        }
    }
}

/// Whether an entry can have made a change: its object is the change's table (or the object itself), its statement
/// does such a thing, and names the column or object where the change has one.
fn made(entry: &TrailEntry, change: &Change, names: &RenameMap) -> bool {
    let says = |word: &str| sql::mentions_word(&entry.statement, &[word], Engine::Postgresql);
    let does = deeds(change.kind);
    if !does.is_empty() && !does.iter().any(|word| says(word)) {
        return false;
    }
    // A view is made anew whatever came or went in it.
    let of_view = says("view") && change.column.is_some();
    let kind = change.kind.name();
    if kind.ends_with("-dropped") && !of_view && !says("drop") && !says("revoke") {
        return false;
    }
    let own = |n: &str| name::split_qualified(n).1.to_owned();
    let renamed = |of_column: bool| change.to.as_ref().filter(|_| change.column.is_some() == of_column);
    let subject = if change.table.is_empty() { change.object.clone().unwrap_or_default() } else { own(&change.table) };
    let now = names.column(&change.table, change.column.as_deref().unwrap_or_default()).to_owned();
    let subjects = [Some(subject), renamed(false).map(|t| own(t)), Some(own(names.table(&change.table)))];
    let subjects: Vec<String> = subjects.into_iter().flatten().filter(|s| !s.is_empty()).collect();
    let about = match object_of(&entry.object) {
        Some(object) => subjects.contains(&object),
        // Grants come without an object.
        None => subjects.iter().any(|s| says(s)),
    };
    let now = change.column.is_some().then_some(&now);
    let mut inner =
        change.column.iter().chain(renamed(true)).chain(now).chain(change.object.iter().filter(|_| !change.table.is_empty())).peekable();
    let is_partition = matches!(change.kind, ChangeKind::PartitionAdded | ChangeKind::PartitionDropped);
    about && (is_partition || of_view || inner.peek().is_none() || inner.any(|name| says(name) || entry.object.contains(name.as_str())))
}

/// The table, or other thing, that an identity such as `public.hive`, `public.hive.tag` or `own_rows on public.hive` is of.
fn object_of(identity: &str) -> Option<String> {
    let whole = identity.rsplit_once(" on ").map_or(identity, |(_, table)| table);
    let whole = whole.split('(').next().unwrap_or(whole);
    let mut parts = whole.split('.').map(|part| part.trim_matches('"').to_owned());
    let first = parts.next().filter(|p| !p.is_empty())?;
    Some(parts.next().unwrap_or(first))
}

/// Words of the statements that make a kind of change; none where any may.
fn deeds(kind: ChangeKind) -> &'static [&'static str] {
    use ChangeKind as K;
    match kind {
        K::TableAdded | K::RoutineAdded | K::EnumAdded | K::DomainAdded | K::CompositeAdded | K::RangeAdded | K::SequenceAdded => {
            &["create"]
        }
        K::TableDropped
        | K::RoutineDropped
        | K::EnumDropped
        | K::DomainDropped
        | K::CompositeDropped
        | K::RangeDropped
        | K::SequenceDropped => &["drop"],
        K::TableRenamed | K::ColumnRenamed => &["rename"],
        K::ColumnAdded => &["add", "create"],
        K::ColumnDropped => &["drop", "view"],
        K::TypeChanged => &["type", "create"],
        K::BecameRequired | K::BecameOptional => &["null", "primary"],
        K::DefaultChanged => &["default"],
        K::GeneratedChanged => &["generated", "identity", "expression", "default"],
        K::PrimaryKeyChanged => &["primary", "constraint"],
        K::ForeignKeyAdded | K::ForeignKeyDropped => &["foreign", "references", "constraint"],
        K::UniqueAdded | K::UniqueDropped => &["unique", "constraint", "index"],
        K::CheckAdded | K::CheckDropped => &["check", "constraint"],
        K::ExclusionAdded | K::ExclusionDropped => &["exclude", "constraint"],
        K::IndexAdded | K::IndexDropped => &["index", "unique", "constraint"],
        K::TriggerAdded | K::TriggerDropped | K::TriggerChanged => &["trigger"],
        K::PolicyAdded | K::PolicyDropped | K::PolicyChanged => &["policy"],
        K::RowSecurityChanged => &["security"],
        K::GrantAdded | K::GrantDropped | K::GrantChanged | K::DefaultGrantsChanged => &["grant", "revoke", "privileges", "drop"],
        K::OwnerChanged => &["owner"],
        K::CommentChanged => &["comment"],
        K::PartitionAdded | K::PartitionDropped => &["partition"],
        K::InheritanceChanged => &["inherit", "inherits"],
        K::ViewChanged => &["view"],
        _ => &[],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_entry_made_only_what_its_statement_does_to_its_object() {
        let did = |entry: &TrailEntry, change: &Change| made(entry, change, &RenameMap::default());
        let entry =
            |object: &str, statement: &str| TrailEntry { object: object.into(), statement: statement.into(), ..TrailEntry::default() };
        let view = entry("public.by_apiary", "CREATE VIEW by_apiary AS SELECT honey_g FROM harvest");
        let renamed = entry("public.harvest.honey_g", "ALTER TABLE harvest RENAME COLUMN honey_kg TO honey_g");
        let retyped = entry("public.harvest", "ALTER TABLE harvest ALTER COLUMN honey_g TYPE integer");
        let policy = entry("own_rows on public.hive", "ALTER POLICY own_rows ON hive USING (true)");
        let rename = Change { to: Some("honey_g".into()), ..Change::of_column(ChangeKind::ColumnRenamed, "harvest", "honey_kg") };
        assert_eq!([&view, &renamed, &retyped].map(|e| did(e, &rename)), [false, true, false]);
        let retype = Change { to: Some("honey_g".into()), ..Change::of_column(ChangeKind::TypeChanged, "harvest", "honey_kg") };
        assert_eq!([&view, &renamed, &retyped].map(|e| did(e, &retype)), [false, false, true]);
        assert!(did(&view, &Change::of_table(ChangeKind::ViewChanged, "by_apiary")));
        assert!(did(&policy, &Change::of_object(ChangeKind::PolicyChanged, "hive", "own_rows")));
        assert!(!did(&policy, &Change::of_object(ChangeKind::GrantChanged, "hive", "app_keeper")));
        let grant = entry("", "REVOKE UPDATE ON hive FROM app_keeper");
        assert!(did(&grant, &Change::of_object(ChangeKind::GrantChanged, "hive", "app_keeper")));
    }
}
