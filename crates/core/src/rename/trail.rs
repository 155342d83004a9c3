//! The database's change log: renames its statements name are certain, and every change can be told with who
//! made it.

use super::evidence::CertainRename;
use super::map::RenameMap;
use crate::changes::{Change, ChangeKind, MadeBy};
use crate::name;
use crate::schema::{Engine, Schema, TrailEntry};
use crate::sql;
use sqlparser::ast::{AlterTableOperation, ObjectName, RenameTableNameKind, Statement};

/// The entries made since a schema was accepted; none where the log is another database's.
pub(crate) fn since<'a>(accepted: &Schema, changed: &'a Schema) -> Vec<&'a TrailEntry> {
    if !accepted.same_database(changed) {
        return Vec::new();
    }
    let last = accepted.catalogue.as_ref().and_then(|c| c.trail).unwrap_or(0);
    changed.trail.iter().filter(|entry| entry.id > last).collect()
}

/// The renames of a log, each from its accepted name to its present one.
pub(super) fn renames(accepted: &Schema, changed: &Schema) -> Vec<CertainRename> {
    let mut map = RenameMap::default();
    let mut tellers: Vec<(String, String)> = Vec::new();
    let mut seen = std::collections::BTreeSet::new();
    for entry in since(accepted, changed) {
        // One statement may make several entries.
        if !entry.statement.to_lowercase().contains("rename") || !seen.insert((&entry.at, &entry.statement)) {
            continue;
        }
        for (table, column, to) in renames_in(&entry.statement, changed.home.as_deref()) {
            let mut step = RenameMap::default();
            match &column {
                Some(column) => step.rename_column(&table, column, &to),
                None => step.rename_table(&table, &to),
            }
            map = map.then(&step);
            tellers.push((to, format!("the database's change log: {} ran it on {}", entry.who, entry.at)));
        }
    }
    let reason = |to: &str| {
        let teller = tellers.iter().rev().find(|(known, _)| name::same(known, to));
        teller.map_or_else(|| "the database's change log".to_owned(), |(_, text)| text.clone())
    };
    let there = |table: &str, column: Option<&str>| accepted.table(table).is_some_and(|t| column.is_none_or(|c| t.column(c).is_some()));
    let tables = map.table_renames().map(|(from, to)| (from.to_owned(), None, to.to_owned()));
    let columns = map.column_renames().map(|(table, from, to)| (table.to_owned(), Some(from.to_owned()), to.to_owned()));
    tables
        .chain(columns)
        .filter(|(table, column, _)| there(table, column.as_deref()))
        .map(|(table, column, to)| {
            let table = accepted.table(&table).map_or(table, |t| t.name.clone());
            let kept = match &column {
                Some(column) => changed.column(map.table(&table), column).is_some(),
                None => changed.table(&table).is_some(),
            };
            CertainRename { reason: reason(&to), ask: kept, table, column, to }
        })
        .collect()
}

/// The renames that a text of one or more statements makes: table, column or none, new name.
fn renames_in(text: &str, home: Option<&str>) -> Vec<(String, Option<String>, String)> {
    let Ok(statements) = sql::parsed_statements(text, Engine::Postgresql) else { return Vec::new() };
    let ident = |i: &sqlparser::ast::Ident| sql::identifier(i, Engine::Postgresql);
    let full = |object: &ObjectName| -> Option<(Option<String>, String)> {
        let mut parts: Vec<String> = object.0.iter().filter_map(|p| p.as_ident().map(ident)).collect();
        let own = parts.pop()?;
        Some((parts.pop().filter(|schema| Some(schema.as_str()) != home), own))
    };
    let joined = |(schema, own): (Option<String>, String)| schema.map_or(own.clone(), |schema| name::qualified(&schema, &own));
    let mut found = Vec::new();
    for statement in statements {
        let Statement::AlterTable(alter) = statement else { continue };
        let Some((schema, own)) = full(&alter.name) else { continue };
        let table = joined((schema.clone(), own));
        for operation in &alter.operations {
            match operation {
                AlterTableOperation::RenameColumn { old_column_name, new_column_name } => {
                    found.push((table.clone(), Some(ident(old_column_name)), ident(new_column_name)));
                }
                AlterTableOperation::RenameTable { table_name: RenameTableNameKind::To(to) | RenameTableNameKind::As(to) } => {
                    if let Some((_, to)) = full(to) {
                        found.push((table.clone(), None, joined((schema.clone(), to))));
                    }
                }
                _ => {}
            }
        }
    }
    found
}

/// Adds to each change the log's entry that made it: the newest that is about the same thing and does such a thing.
pub(crate) fn tell_by(changes: &mut [Change], accepted: &Schema, changed: &Schema, names: &RenameMap) {
    let entries = since(accepted, changed);
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

    #[test]
    fn statements_of_the_log_name_their_renames() {
        let text =
            "ALTER TABLE public.keeper RENAME COLUMN postcode TO \"Postal\"; ALTER TABLE sales.remedy RENAME TO medicine; DROP TABLE x";
        assert_eq!(
            renames_in(text, Some("public")),
            [
                ("keeper".to_owned(), Some("postcode".to_owned()), "Postal".to_owned()),
                ("sales\u{1f}remedy".to_owned(), None, "sales\u{1f}medicine".to_owned())
            ]
        );
    }
}
