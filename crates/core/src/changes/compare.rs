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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testkit::schema;

    /// What changed, a line each: `kind subject`, with a new name or what it was and is.
    fn told(before: &str, after: &str, known: &Known) -> Vec<String> {
        let said = |change: &Change| match (&change.to, &change.before, &change.after) {
            (Some(to), ..) => format!(" → {to}"),
            (None, None, None) => String::new(),
            (None, before, after) => format!(": {} → {}", before.as_deref().unwrap_or("-"), after.as_deref().unwrap_or("-")),
        };
        let changes = compare(&schema(before), &schema(after), known).changes;
        changes.iter().map(|c| format!("{} {}{}", c.kind.name(), c.subject(), said(c))).collect()
    }

    #[test]
    fn each_change_is_told_as_exactly_that() {
        const YARD: &str = "yard: id integer key; name text required";
        let hive = |columns: &str| format!("{YARD}\nhive: id integer key; {columns}");
        let base = "tag text; weight decimal(8,2); yard_id integer -> yard";
        for (after, expected) in [
            (base, &[][..]),
            ("yard_id integer -> yard; weight decimal(8,2); tag text", &[]),
            (
                "tag text; weight decimal(8,2)",
                &["foreign-key-dropped hive: (yard_id) → yard → -", "column-dropped hive.yard_id: integer → -"],
            ),
            ("tag text; weight decimal(8,2); yard_id integer", &["foreign-key-dropped hive: (yard_id) → yard → -"]),
            ("tag text; weight decimal(8,2); yard_id integer -> yard; born date", &["column-added hive.born: - → date"]),
            ("tag text required; weight decimal(8,2); yard_id integer -> yard", &["became-required hive.tag: optional → NOT NULL"]),
            ("tag text(9); weight decimal(8,2); yard_id integer -> yard", &["type-changed hive.tag: text → text(9)"]),
            ("tag text; weight integer; yard_id integer -> yard", &["type-changed hive.weight: decimal(8,2) → integer"]),
            ("tag text default 'x'; weight decimal(8,2); yard_id integer -> yard", &["default-changed hive.tag: - → 'x'"]),
            ("tag text unique; weight decimal(8,2); yard_id integer -> yard", &["unique-added hive: - → (tag)"]),
            ("tag text; weight decimal(8,2); yard_id integer -> yard; check weight > 0", &["check-added hive: - → weight > 0"]),
            ("tag text; weight decimal(8,2); yard_id integer -> yard; index tag", &["index-added tag_idx on hive: - → (tag)"]),
            ("tag text; weight decimal(8,2); yard_id integer -> yard; key id tag", &["primary-key-changed hive: id → id, tag"]),
        ] {
            assert_eq!(told(&hive(base), &hive(after), &Known::default()), expected, "{after}");
        }
    }

    #[test]
    fn tables_and_views_come_go_and_change() {
        let hive = "hive: id integer key; tag text";
        for (before, after, expected) in [
            (hive.to_owned(), String::new(), &["table-dropped hive"][..]),
            (String::new(), hive.to_owned(), &["table-added hive: - → table (id, tag)"]),
            (
                format!("{hive}\nview heavy: id integer = SELECT id FROM hive"),
                format!("{hive}\nview heavy: id integer = SELECT id FROM hive WHERE tag IS NOT NULL"),
                &["view-changed heavy: SELECT id FROM hive → SELECT id FROM hive WHERE tag IS NOT NULL"],
            ),
            // White space, letters and quotes say nothing.
            (
                format!("{hive}\nview heavy: id integer = SELECT id FROM hive"),
                format!("{hive}\nview heavy: id integer = select  \"id\"  from HIVE"),
                &[],
            ),
            ("hive: id integer key".to_owned(), "view hive: id integer = SELECT 1".to_owned(), &["table-kind-changed hive: table → view"]),
        ] {
            let mut told = told(&before, &after, &Known::default());
            // A table that became a view also lost what only tables have.
            told.retain(|line| !line.starts_with("primary-key") && !line.starts_with("became-"));
            assert_eq!(told, expected, "{before} | {after}");
        }
    }

    #[test]
    fn a_rename_is_one_change_and_what_names_it_goes_along() {
        let before = "yard: id integer key; name text required\nhive: id integer key; plate_number text unique; yard_id integer -> yard; check plate_number <> ''";
        let after = "yard: id integer key; name text required\nhive: id integer key; plate_no text unique; yard_id integer -> yard; check plate_no <> ''";
        let answered = Known { answers: [("rename/hive.plate_number".into(), "plate_no".into())].into(), ..Known::default() };
        assert_eq!(told(before, after, &answered), ["column-renamed hive.plate_number → plate_no"]);
        let separate = Known { answers: [("rename/hive.plate_number".into(), "separate".into())].into(), ..Known::default() };
        let apart = told(before, after, &separate);
        assert!(
            apart.iter().any(|c| c.starts_with("column-dropped hive.plate_number"))
                && apart.iter().any(|c| c.starts_with("column-added hive.plate_no")),
            "{apart:?}"
        );
        // A table under another name is one change too; what refers to it says nothing new.
        let moved = before.replace("yard:", "apiary:").replace("-> yard", "-> apiary");
        let answered = Known { answers: [("rename/yard".into(), "apiary".into())].into(), ..Known::default() };
        assert_eq!(told(before, &moved, &answered), ["table-renamed yard → apiary"]);
    }
}
