//! Names that were taken away, remembered so long as something may still say them.

use super::code;
use crate::changes::{Change, ChangeKind, Comparison};
use crate::name;
use crate::rename::{Evidence, Rename, RenameMap};
use crate::schema::{Column, Schema, Table};

/// The schemas before names were lost that are remembered, each with what changed since: the names of today have one old name
/// in each of them. Every old name of a table stands with every old name of a column: SQL may say any two of them.
pub fn before_losses(now: &Schema, lost: &[Change]) -> Vec<(Schema, Comparison)> {
    let rounds = |of_columns: bool| {
        let mut rounds: Vec<Vec<&Change>> = Vec::new();
        for change in lost.iter().filter(|c| c.column.is_some() == of_columns) {
            let clashes = |other: &&Change| same_now(other, change) || same_before(other, change);
            match rounds.iter_mut().find(|round| !round.iter().any(clashes)) {
                Some(round) => round.push(change),
                None => rounds.push(vec![change]),
            }
        }
        // Nothing lost of one kind hinders nothing of the other.
        if rounds.is_empty() { vec![Vec::new()] } else { rounds }
    };
    let (tables, columns) = (rounds(false), rounds(true));
    let pairs = tables.iter().flat_map(|tables| columns.iter().map(move |columns| [tables.as_slice(), columns.as_slice()].concat()));
    pairs.filter(|round| !round.is_empty()).map(|round| before(now, &round)).collect()
}

/// Whether two changes are of the same thing as it is called now.
fn same_now(a: &Change, b: &Change) -> bool {
    let of = |c: &Change| (name::fold(&c.table), c.to.as_deref().map(name::fold), c.column.is_some());
    a.to.is_some() && (of(a) == of(b) || a.column.is_none() && b.column.is_none() && of(a).1 == of(b).1)
}

/// Whether two changes took the same name away.
fn same_before(a: &Change, b: &Change) -> bool {
    let of = |c: &Change| (name::fold(&c.table), c.column.as_deref().map(name::fold), c.object.clone());
    of(a) == of(b)
}

fn before(now: &Schema, round: &[&Change]) -> (Schema, Comparison) {
    let mut back = RenameMap::default();
    for change in round.iter().filter(|c| c.kind == ChangeKind::TableRenamed) {
        back.rename_table(change.to.as_deref().unwrap_or_default(), &change.table);
    }
    for change in round.iter().filter(|c| c.kind == ChangeKind::ColumnRenamed) {
        back.rename_column(&change.table, change.to.as_deref().unwrap_or_default(), change.column.as_deref().unwrap_or_default());
    }
    let mut schema = back.applied_to(now);
    let mut comparison = Comparison::default();
    for change in round {
        let mut change = Change { evidence: Some(certain()), ..(*change).clone() };
        if change.column.is_some() {
            change.table = back.table(&change.table).to_owned();
        }
        match (&change.kind, &change.column, &change.to) {
            (ChangeKind::ColumnDropped, Some(column), _) => {
                if let Some(table) = schema.tables.find_mut(|t| name::same(&t.name, &change.table)) {
                    table.columns.push(Column { name: column.clone(), ..Column::default() });
                }
            }
            (ChangeKind::TableDropped, ..) => schema.tables.push(Table { name: change.table.clone(), ..Table::default() }),
            (_, column, Some(to)) => comparison.renames.push(Rename {
                table: change.table.clone(),
                column: column.clone(),
                to: Some(to.clone()),
                evidence: certain(),
                taken: true,
                candidates: Vec::new(),
                displaces: None,
            }),
            _ => {}
        }
        comparison.changes.push(change);
    }
    schema.tables.sort();
    (schema, comparison)
}

/// A merge went by it.
fn certain() -> Evidence {
    Evidence::Certain { reasons: Vec::new() }
}

/// A lost name as it is remembered after a further change: `now` has the names that `taken` led to. Nothing where the name is
/// something's again.
pub fn carried(lost: &Change, taken: &RenameMap, now: &Schema) -> Option<Change> {
    let mut lost = lost.clone();
    match (&lost.column, &lost.to) {
        (None, Some(to)) => {
            let to = taken.table(to).to_owned();
            lost.kind = if now.table(&to).is_some() { ChangeKind::TableRenamed } else { ChangeKind::TableDropped };
            lost.to = (lost.kind == ChangeKind::TableRenamed).then_some(to);
        }
        (Some(_), to) => {
            let column = to.as_ref().map(|to| taken.column(&lost.table, to).to_owned());
            let table = taken.table(&lost.table).to_owned();
            lost.to = column.filter(|column| now.column(&table, column).is_some());
            lost.kind = if lost.to.is_some() { ChangeKind::ColumnRenamed } else { ChangeKind::ColumnDropped };
            lost.table = table;
        }
        (None, None) => {}
    }
    let is_there = match (&lost.column, &lost.object) {
        (Some(column), _) => now.table(&lost.table).is_none() || now.column(&lost.table, column).is_some(),
        (None, Some(_)) => code::lost_name(&lost).is_some_and(|routine| now.objects.routines.iter().any(|r| name::same(&r.name, routine))),
        (None, None) => now.table(&lost.table).is_some(),
    };
    (!is_there).then_some(lost)
}

/// A table that has another name, as it is remembered.
pub fn renamed_table(from: &str, to: &str) -> Change {
    Change { to: Some(to.to_owned()), ..Change::of_table(ChangeKind::TableRenamed, from) }
}

/// Whether such a change takes a name away that people's own work may still say.
pub fn is_lost_name(kind: ChangeKind) -> bool {
    kind.loses_a_name() || kind == ChangeKind::RoutineDropped
}

#[cfg(test)]
mod tests {
    use super::*;

    fn schema(tables: &[(&str, &[&str])]) -> Schema {
        let table = |(name, columns): &(&str, &[&str])| Table {
            name: (*name).to_owned(),
            columns: columns.iter().map(|c| Column { name: (*c).to_owned(), ..Column::default() }).collect(),
            ..Table::default()
        };
        Schema { tables: tables.iter().map(table).collect(), ..Schema::default() }
    }

    fn renamed(table: &str, column: Option<&str>, to: &str) -> Change {
        let kind = if column.is_some() { ChangeKind::ColumnRenamed } else { ChangeKind::TableRenamed };
        Change { column: column.map(str::to_owned), to: Some(to.to_owned()), ..Change::of_table(kind, table) }
    }

    #[test]
    fn a_lost_name_goes_along_with_later_changes_until_it_is_somethings_again() {
        let lost = renamed("harvest", Some("kg"), "g");
        let mut names = RenameMap::default();
        names.rename_table("harvest", "crop");
        names.rename_column("harvest", "g", "mg");
        let now = schema(&[("crop", &["mg"])]);
        assert_eq!(carried(&lost, &names, &now), Some(renamed("crop", Some("kg"), "mg")));
        // The column went: what speaks of its old name speaks of nothing.
        let gone = carried(&lost, &RenameMap::default(), &schema(&[("harvest", &["id"])])).unwrap();
        assert_eq!((gone.kind, gone.to), (ChangeKind::ColumnDropped, None));
        // It has its old name again, or something else has it.
        assert_eq!(carried(&lost, &RenameMap::default(), &schema(&[("harvest", &["kg"])])), None);
        assert_eq!(carried(&renamed("remedy", None, "medicine"), &RenameMap::default(), &schema(&[("remedy", &["id"])])), None);
    }

    #[test]
    fn one_thing_of_today_has_one_old_name_in_each_schema_before() {
        let now = schema(&[("medicine", &["id", "mg"])]);
        let lost = [
            renamed("remedy", None, "medicine"),
            renamed("medicine", Some("kg"), "mg"),
            renamed("medicine", Some("g"), "mg"),
            Change::of_column(ChangeKind::ColumnDropped, "medicine", "note"),
            Change::of_table(ChangeKind::TableDropped, "old"),
        ];
        let rounds = before_losses(&now, &lost);
        assert_eq!(rounds.len(), 2);
        let (first, changes) = &rounds[0];
        let columns =
            |schema: &Schema, table: &str| -> Vec<String> { schema.table(table).unwrap().columns.iter().map(|c| c.name.clone()).collect() };
        assert_eq!(columns(first, "remedy"), ["id", "kg", "note"]);
        assert!(first.table("old").is_some() && first.table("medicine").is_none());
        assert_eq!(changes.changes.iter().filter(|c| c.table == "remedy").count(), 3);
        assert_eq!(columns(&rounds[1].0, "remedy"), ["id", "g"]);
    }
}
