//! Changes that take earlier ones back: what those left to people is true no more.

use super::lost_name::is_lost_name;
use crate::changes::{Change, ChangeKind};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::Engine;
use crate::sql::says_same;

/// A change as it is remembered: who made it and how it was believed are nobody's question later. A table has its name of now;
/// so has a column, but one whose name was lost.
pub fn remembered(change: &Change, taken: &RenameMap) -> Change {
    let is_lost = is_lost_name(change.kind);
    let column = change.column.as_ref().map(|c| if is_lost { c } else { taken.column(&change.table, c) }.to_owned());
    let table = if is_lost && column.is_none() { &change.table } else { taken.table(&change.table) };
    let text = |text: &Option<String>| text.clone().filter(|_| !is_lost);
    Change {
        column,
        object: change.object.clone(),
        to: change.to.clone(),
        before: text(&change.before),
        after: text(&change.after),
        ..Change::of_table(change.kind, table)
    }
}

/// A remembered change that took no name away, as it is remembered after further changes, which renamed what `taken` tells.
/// Nothing where it is as it was before the first.
pub fn since(first: &Change, changes: &[Change], taken: &RenameMap, engine: Engine) -> Option<Change> {
    let mut now = first.clone();
    for next in changes.iter().filter(|next| is_of(first, next)) {
        if next.kind == counterpart(first.kind) && leads_back(next, first, engine, taken) {
            return None;
        }
        if next.kind == first.kind && now.before.is_some() && now.after.is_some() {
            now.after.clone_from(&next.after);
        }
    }
    now.column = now.column.map(|column| taken.column(&first.table, &column).to_owned());
    now.table = taken.table(&first.table).to_owned();
    Some(now)
}

/// Whether a change is of what a remembered one was of.
fn is_of(first: &Change, next: &Change) -> bool {
    let fold = |name: &Option<String>| name.as_deref().map(name::fold);
    name::same(&first.table, &next.table) && fold(&first.column) == fold(&next.column) && fold(&first.object) == fold(&next.object)
}

/// A table, or a column of one.
pub type Named<'a> = (&'a str, Option<&'a str>);

/// Whether `next` takes `first` back. `first` may be of long ago, when tables and columns were called otherwise: `are_one` says
/// whether a name of `next` and one of `first` are of the same thing.
pub fn takes_back(next: &Change, first: &Change, engine: Engine, are_one: &dyn Fn(Named<'_>, Named<'_>) -> bool) -> bool {
    let fold = |name: &Option<String>| name.as_deref().map(name::fold);
    if next.kind != counterpart(first.kind) || fold(&next.object) != fold(&first.object) {
        return false;
    }
    if matches!(first.kind, ChangeKind::TableRenamed) {
        return fold(&next.to) == Some(name::fold(&first.table)) && fold(&first.to) == Some(name::fold(&next.table));
    }
    if first.kind == ChangeKind::ColumnRenamed {
        let leads_back = fold(&next.to) == fold(&first.column) && fold(&first.to) == fold(&next.column);
        return leads_back && are_one((&next.table, None), (&first.table, None));
    }
    leads_back(next, first, engine, &RenameMap::default())
        && are_one((&next.table, next.column.as_deref()), (&first.table, first.column.as_deref()))
}

/// Whether what is now is what was then: where there was nothing then, what is gone has to be what came.
fn leads_back(next: &Change, first: &Change, engine: Engine, taken: &RenameMap) -> bool {
    let same = |then: &Option<String>, now: &Option<String>| match (then, now) {
        (Some(then), Some(now)) => says_same(then, now, engine, |old, new| taken.may_turn(old, new)),
        (then, now) => then == now,
    };
    same(&first.before, &next.after) && (first.before.is_some() || same(&first.after, &next.before))
}

/// What takes a change of a kind back.
fn counterpart(kind: ChangeKind) -> ChangeKind {
    let pairs = [("-added", "-dropped"), ("-required", "-optional")];
    let name = kind.name();
    let other = pairs.iter().flat_map(|(a, b)| [(a, b), (b, a)]).find_map(|(from, to)| Some(format!("{}{to}", name.strip_suffix(from)?)));
    other.and_then(|other| ChangeKind::ALL.iter().copied().find(|kind| kind.name() == other)).unwrap_or(kind)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_of_changes_have_what_takes_them_back() {
        for (kind, expected) in [
            (ChangeKind::ForeignKeyDropped, ChangeKind::ForeignKeyAdded),
            (ChangeKind::BecameRequired, ChangeKind::BecameOptional),
            (ChangeKind::TypeChanged, ChangeKind::TypeChanged),
            (ChangeKind::ColumnRenamed, ChangeKind::ColumnRenamed),
        ] {
            assert_eq!(counterpart(kind), expected);
        }
        assert!(ChangeKind::ALL.iter().all(|kind| counterpart(counterpart(*kind)) == *kind));
    }

    fn typed(table: &str, column: &str, before: &str, after: &str) -> Change {
        Change { before: Some(before.into()), after: Some(after.into()), ..Change::of_column(ChangeKind::TypeChanged, table, column) }
    }

    #[test]
    fn what_is_as_it_was_is_told_through_changes_in_between() {
        let mut names = RenameMap::default();
        names.rename_table("harvest", "crop");
        names.rename_column("harvest", "kg", "g");
        let first = typed("harvest", "kg", "DECIMAL(8,2)", "INTEGER");
        let none = RenameMap::default();
        // Something else, then another type and other names, then back.
        let same = since(&first, &[typed("harvest", "note", "TEXT", "DECIMAL(8,2)")], &none, Engine::Sqlite);
        assert_eq!(same.as_ref(), Some(&first));
        let second = since(&first, &[typed("harvest", "kg", "INTEGER", "BIGINT")], &names, Engine::Sqlite).unwrap();
        assert_eq!(second, typed("crop", "g", "DECIMAL(8,2)", "BIGINT"));
        assert_eq!(since(&second, &[typed("crop", "g", "BIGINT", "DECIMAL(8,2)")], &none, Engine::Sqlite), None);
        // A foreign key that is there again, to a table that has its name again.
        let key = |kind, before: Option<&str>, after: Option<&str>| Change {
            before: before.map(str::to_owned),
            after: after.map(str::to_owned),
            ..Change::of_table(kind, "dose")
        };
        let first = key(ChangeKind::ForeignKeyDropped, Some("(remedy_id) → medicine"), None);
        let back = [key(ChangeKind::ForeignKeyAdded, None, Some("(remedy_id) → remedy"))];
        assert!(since(&first, &back, &none, Engine::Sqlite).is_some());
        let mut names = RenameMap::default();
        names.rename_table("medicine", "remedy");
        assert_eq!(since(&first, &back, &names, Engine::Sqlite), None);
    }

    #[test]
    fn a_rename_is_taken_back_by_the_one_that_leads_back() {
        let renamed = |table: &str, column: Option<&str>, to: &str| {
            let kind = if column.is_some() { ChangeKind::ColumnRenamed } else { ChangeKind::TableRenamed };
            Change { column: column.map(str::to_owned), to: Some(to.to_owned()), ..Change::of_table(kind, table) }
        };
        let is_one = |(a, _): Named<'_>, (b, _): Named<'_>| a == b || (a, b) == ("box", "hive");
        for (next, first, expected) in [
            (renamed("hive", Some("number"), "tag"), renamed("hive", Some("tag"), "number"), true),
            (renamed("box", Some("number"), "tag"), renamed("hive", Some("tag"), "number"), true),
            (renamed("yard", Some("number"), "tag"), renamed("hive", Some("tag"), "number"), false),
            (renamed("hive", Some("number"), "plate"), renamed("hive", Some("tag"), "number"), false),
            (renamed("box", None, "hive"), renamed("hive", None, "box"), true),
            (renamed("box", None, "case"), renamed("hive", None, "box"), false),
        ] {
            assert_eq!(takes_back(&next, &first, Engine::Sqlite, &is_one), expected, "{next:?} {first:?}");
        }
    }
}
