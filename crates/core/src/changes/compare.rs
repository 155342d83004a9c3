//! Compares two schemas: renames first, then everything else under the names in use now.

use super::tables::Tables;
use super::{Change, ChangeKind, objects};
use crate::name;
use crate::rename::{Evidence, Known, Rename, RenameMap, find_renames};
use crate::schema::Schema;

/// The outcome of a comparison.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Comparison {
    /// Every difference, by table and column.
    pub changes: Vec<Change>,
    /// Renames believed or asked about.
    pub renames: Vec<Rename>,
}

impl Comparison {
    /// The renames the merge goes by.
    pub fn taken(&self) -> RenameMap {
        self.map(|rename| rename.taken)
    }

    /// The renames that are presumed: the taken ones, and likely ones without a close rival.
    pub fn presumed(&self) -> RenameMap {
        self.map(|_| true)
    }

    fn map(&self, wanted: impl Fn(&Rename) -> bool) -> RenameMap {
        let mut map = RenameMap::default();
        let tables: Vec<&Rename> = self.renames.iter().filter(|r| r.column.is_none() && r.to.is_some()).collect();
        for rename in self.renames.iter().filter(|r| wanted(r)) {
            match (&rename.column, &rename.to) {
                (None, Some(to)) => {
                    map.rename_table(&rename.table, to);
                    if let Some(gone) = &rename.displaces {
                        map.rename_table(to, gone);
                    }
                }
                // A column's rename stands or falls with its table's.
                (Some(column), Some(to)) if !tables.iter().any(|t| t.table == rename.table && !wanted(t)) => {
                    map.rename_column(&rename.table, column, to);
                    if let Some(gone) = &rename.displaces {
                        map.rename_column(&rename.table, to, gone);
                    }
                }
                _ => {}
            }
        }
        map
    }
}

/// Finds every difference between the accepted and the changed schema.
///
/// Schemas of two engines are compared by what both have in common: tables, columns with kind and size, keys.
/// Work is linear in the tables, but for the assignment among lost and new names.
pub fn compare(accepted: &Schema, changed: &Schema, known: &Known) -> Comparison {
    let mut comparison = Comparison { changes: Vec::new(), renames: find_renames(accepted, changed, known) };
    let names = comparison.presumed();
    let mut changes = Vec::new();
    for rename in &comparison.renames {
        let Some(to) = &rename.to else { continue };
        let kind = if rename.column.is_some() { ChangeKind::ColumnRenamed } else { ChangeKind::TableRenamed };
        let mut change = Change::of_table(kind, &rename.table);
        change.column.clone_from(&rename.column);
        change.to = Some(to.clone());
        change.evidence = Some(rename.evidence.clone());
        changes.push(change);
    }
    let back = names.inverse();
    let across = accepted.engine != changed.engine;
    for before in &accepted.tables {
        match changed.table(names.table(&before.name)) {
            Some(after) => Tables { accepted, changed, names: &names, back: &back, before, after, across }.compare(&mut changes),
            None => changes.push(Change::of_table(ChangeKind::TableDropped, &before.name)),
        }
    }
    for after in &changed.tables {
        // A new table may have the name of one that was renamed.
        let origin = back.table(&after.name);
        if accepted.table(origin).is_none_or(|before| !name::same(names.table(&before.name), &after.name)) {
            let columns: Vec<&str> = after.columns.iter().map(|c| c.name.as_str()).collect();
            changes.push(
                Change::of_table(ChangeKind::TableAdded, &after.name)
                    .from_to(None, Some(format!("{} ({})", after.kind.word(), columns.join(", ")))),
            );
        }
    }
    if !across {
        objects::compare(&accepted.objects, &changed.objects, changed.engine, &names, &mut changes);
    }
    // What may be called otherwise now is one question, not a loss and news of nobody's.
    for rename in comparison.renames.iter().filter(|r| r.to.is_none() && !matches!(r.evidence, Evidence::Certain { .. })) {
        let dropped = |c: &&mut Change| {
            matches!(c.kind, ChangeKind::ColumnDropped | ChangeKind::TableDropped) && c.table == rename.table && c.column == rename.column
        };
        if let Some(change) = changes.iter_mut().find(dropped) {
            change.candidates = rename.candidates.iter().map(|name| name::plain(name)).collect();
        }
    }
    let order = |c: &Change| (c.table.is_empty(), c.table.clone(), c.column.is_some(), c.kind);
    changes.sort_by_cached_key(order);
    super::made_by::tell_by(&mut changes, accepted, changed, &names);
    comparison.changes = changes;
    comparison
}
