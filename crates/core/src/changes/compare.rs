//! Compares two schemas: renames first, then everything else under the names in use now.

use super::{Change, ChangeKind};
use crate::name;
use crate::rename::{Known, Rename, RenameMap, find_renames};
use crate::schema::{Check, Column, ForeignKey, Schema, Table, TableKind, Trigger, Unique};
use crate::sql;

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
                (None, Some(to)) => map.rename_table(&rename.table, to),
                // A column's rename stands or falls with its table's.
                (Some(column), Some(to)) if !tables.iter().any(|t| t.table == rename.table && !wanted(t)) => {
                    map.rename_column(&rename.table, column, to);
                }
                _ => {}
            }
        }
        map
    }
}

/// Finds every difference between the accepted and the changed schema.
///
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
    for before in &accepted.tables {
        match changed.table(names.table(&before.name)) {
            Some(after) => Tables { accepted, changed, names: &names, before, after }.compare(&mut changes),
            None => changes.push(Change::of_table(ChangeKind::TableDropped, &before.name)),
        }
    }
    let back = names.inverse();
    for after in &changed.tables {
        if accepted.table(back.table(&after.name)).is_none() {
            let columns: Vec<&str> = after.columns.iter().map(|c| c.name.as_str()).collect();
            changes.push(
                Change::of_table(ChangeKind::TableAdded, &after.name)
                    .from_to(None, Some(format!("{} ({})", after.kind.word(), columns.join(", ")))),
            );
        }
    }
    changes.sort_by(|a, b| (&a.table, a.column.is_some(), a.kind).cmp(&(&b.table, b.column.is_some(), b.kind)));
    comparison.changes = changes;
    comparison
}

/// Two states of one table.
struct Tables<'a> {
    accepted: &'a Schema,
    changed: &'a Schema,
    names: &'a RenameMap,
    before: &'a Table,
    after: &'a Table,
}

impl Tables<'_> {
    fn compare(&self, out: &mut Vec<Change>) {
        let table = &self.before.name;
        if self.before.kind != self.after.kind {
            out.push(
                Change::of_table(ChangeKind::TableKindChanged, table)
                    .from_to(Some(self.before.kind.word().into()), Some(self.after.kind.word().into())),
            );
        }
        if self.after.broken.is_some() {
            // Its columns aren't gone one by one: the whole view can't be read.
            if self.before.broken.is_none() {
                out.push(Change::of_table(ChangeKind::ViewBroken, table).from_to(None, self.after.broken.clone()));
            }
            return;
        }
        for before in &self.before.columns {
            match self.after.column(self.names.column(table, &before.name)) {
                Some(after) => self.compare_columns(before, after, out),
                None => out.push(Change::of_column(ChangeKind::ColumnDropped, table, &before.name).from_to(Some(described(before)), None)),
            }
        }
        let back = self.names.inverse();
        for after in &self.after.columns {
            if self.before.column(back.column(&self.after.name, &after.name)).is_none() {
                out.push(Change::of_column(ChangeKind::ColumnAdded, table, &after.name).from_to(None, Some(described(after))));
            }
        }
        self.compare_keys(out);
        if self.before.kind == TableKind::View
            && self.after.kind == TableKind::View
            && self.says_other(&self.before.definition, &self.after.definition)
        {
            out.push(Change::of_table(ChangeKind::ViewChanged, table));
        }
        let options = |t: &Table| (t.strict, t.without_rowid && t.kind == TableKind::Table);
        if options(self.before) != options(self.after) && self.before.kind == self.after.kind {
            let text = |(strict, without): (bool, bool)| {
                format!("{}{}", if strict { "STRICT " } else { "" }, if without { "WITHOUT ROWID" } else { "" }).trim().to_owned()
            };
            out.push(
                Change::of_table(ChangeKind::OptionsChanged, table)
                    .from_to(Some(text(options(self.before))), Some(text(options(self.after)))),
            );
        }
    }

    fn compare_columns(&self, before: &Column, after: &Column, out: &mut Vec<Change>) {
        let change = |kind| Change::of_column(kind, &self.before.name, &before.name);
        if before.column_type != after.column_type {
            out.push(change(ChangeKind::TypeChanged).from_to(Some(before.column_type.shown()), Some(after.column_type.shown())));
        }
        match (before.nullable, after.nullable) {
            (true, false) => out.push(change(ChangeKind::BecameRequired).from_to(Some("optional".into()), Some("NOT NULL".into()))),
            (false, true) => out.push(change(ChangeKind::BecameOptional).from_to(Some("NOT NULL".into()), Some("optional".into()))),
            _ => {}
        }
        if self.says_other(&before.default, &after.default) {
            out.push(change(ChangeKind::DefaultChanged).from_to(before.default.clone(), after.default.clone()));
        }
        let expression = |c: &Column| c.generated.as_ref().map(|g| g.expression.clone());
        let numbering = |c: &Column| {
            if c.auto { Some("numbered by the database".to_owned()) } else { expression(c).map(|e| format!("generated: {e}")) }
        };
        if self.says_other(&expression(before), &expression(after)) || before.auto != after.auto {
            out.push(change(ChangeKind::GeneratedChanged).from_to(numbering(before), numbering(after)));
        }
    }

    fn compare_keys(&self, out: &mut Vec<Change>) {
        let carried = self.names.applied_to_table(self.before);
        let table = &self.before.name;
        let folded = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
        if folded(&carried.primary_key) != folded(&self.after.primary_key) {
            out.push(
                Change::of_table(ChangeKind::PrimaryKeyChanged, table)
                    .from_to(Some(self.before.primary_key.join(", ")), Some(self.after.primary_key.join(", "))),
            );
        }
        let same_key = |a: &ForeignKey, b: &ForeignKey| {
            let target = self.changed.table(&b.table).or_else(|| self.accepted.table(&b.table));
            a.means(b, target)
        };
        difference(&carried.foreign_keys, &self.after.foreign_keys, same_key, |key, gone| {
            let kind = if gone { ChangeKind::ForeignKeyDropped } else { ChangeKind::ForeignKeyAdded };
            let text = Some(format!(
                "({}) → {}{}",
                key.columns.join(", "),
                name::written(&key.table),
                key.on_delete.as_ref().map_or(String::new(), |a| format!(" on delete {}", a.to_lowercase()))
            ));
            out.push(Change::of_table(kind, table).from_to(text.clone().filter(|_| gone), text.filter(|_| !gone)));
        });
        let same_unique = |a: &Unique, b: &Unique| {
            let set = |u: &Unique| {
                let mut c = folded(&u.columns);
                c.sort();
                c
            };
            a.partial == b.partial && set(a) == set(b)
        };
        difference(&carried.uniques, &self.after.uniques, same_unique, |unique, gone| {
            let kind = if gone { ChangeKind::UniqueDropped } else { ChangeKind::UniqueAdded };
            let text = Some(format!("({})", unique.columns.join(", ")));
            out.push(Change::of_table(kind, table).from_to(text.clone().filter(|_| gone), text.filter(|_| !gone)));
        });
        let same_check = |a: &Check, b: &Check| !self.says_other(&Some(a.expression.clone()), &Some(b.expression.clone()));
        difference(&carried.checks, &self.after.checks, same_check, |check, gone| {
            let kind = if gone { ChangeKind::CheckDropped } else { ChangeKind::CheckAdded };
            let text = Some(check.expression.clone());
            out.push(Change::of_table(kind, table).from_to(text.clone().filter(|_| gone), text.filter(|_| !gone)));
        });
        let same_trigger = |a: &Trigger, b: &Trigger| {
            name::same(&a.name, &b.name)
                && a.broken.is_some() == b.broken.is_some()
                && !self.says_other(&Some(a.definition.clone()), &Some(b.definition.clone()))
        };
        let mut named = std::collections::BTreeSet::new();
        difference(&self.before.triggers, &self.after.triggers, same_trigger, |trigger, _| {
            if named.insert(name::fold(&trigger.name)) {
                out.push(Change::of_table(ChangeKind::TriggerChanged, table).from_to(None, Some(trigger.name.clone())));
            }
        });
    }

    /// Whether two SQL texts differ in more than spelling and renamed names.
    fn says_other(&self, before: &Option<String>, after: &Option<String>) -> bool {
        match (before, after) {
            (Some(before), Some(after)) => before != after && !sql::same_text(before, after, |old, new| self.names.may_turn(old, new)),
            (before, after) => before.is_some() != after.is_some(),
        }
    }
}

/// Calls `report` with what is only in `before` (true) and only in `after` (false).
fn difference<T>(before: &[T], after: &[T], same: impl Fn(&T, &T) -> bool, mut report: impl FnMut(&T, bool)) {
    for item in before.iter().filter(|a| !after.iter().any(|b| same(a, b))) {
        report(item, true);
    }
    for item in after.iter().filter(|b| !before.iter().any(|a| same(a, b))) {
        report(item, false);
    }
}

/// A column in a few words: type, NOT NULL, default.
fn described(column: &Column) -> String {
    let mut text = column.column_type.shown();
    if !column.nullable {
        text.push_str(" NOT NULL");
    }
    if let Some(default) = &column.default {
        text.push_str(&format!(" DEFAULT {default}"));
    }
    if column.generated.is_some() {
        text.push_str(" generated");
    }
    text
}
