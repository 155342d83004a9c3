//! Renames as a map from old names to new ones, applied to schemas and composed over time.

use crate::name;
use crate::schema::{Schema, Table};
use crate::sql;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// What is appended to the name of something gone whose name another thing has now: no name of a database by itself.
const GONE: &str = " (gone)";

/// A free name for something gone whose name another thing has now.
pub(crate) fn gone_name(name: &str, is_taken: impl Fn(&str) -> bool) -> String {
    (1..).map(|n| format!("{name}{}", GONE.repeat(n))).find(|n| !is_taken(n)).unwrap_or_default()
}

/// The name that something gone had.
pub fn without_gone(name: &str) -> &str {
    name.trim_end_matches(GONE)
}

/// Old names to new names. Columns are keyed by the *old* table and column name.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct RenameMap {
    tables: BTreeMap<String, (String, String)>,
    columns: BTreeMap<String, BTreeMap<String, (String, String)>>,
}

impl RenameMap {
    /// Records a table's new name.
    pub fn rename_table(&mut self, from: &str, to: &str) {
        self.tables.insert(name::fold(from), (from.to_owned(), to.to_owned()));
    }

    /// Records a column's new name; `table` is the old table name.
    pub fn rename_column(&mut self, table: &str, from: &str, to: &str) {
        self.columns.entry(name::fold(table)).or_default().insert(name::fold(from), (from.to_owned(), to.to_owned()));
    }

    /// Whether nothing is renamed.
    pub fn is_empty(&self) -> bool {
        self.tables.is_empty() && self.columns.values().all(BTreeMap::is_empty)
    }

    /// The table's name now.
    pub fn table<'a>(&'a self, table: &'a str) -> &'a str {
        self.tables.get(&name::fold(table)).map_or(table, |(_, to)| to)
    }

    /// The column's name now; `table` is the old table name.
    pub fn column<'a>(&'a self, table: &str, column: &'a str) -> &'a str {
        self.columns.get(&name::fold(table)).and_then(|c| c.get(&name::fold(column))).map_or(column, |(_, to)| to)
    }

    /// Every table rename: old name, new name.
    pub fn table_renames(&self) -> impl Iterator<Item = (&str, &str)> {
        self.tables.values().map(|(from, to)| (from.as_str(), to.as_str()))
    }

    /// Every column rename: old table, old column, new column.
    pub fn column_renames(&self) -> impl Iterator<Item = (&str, &str, &str)> {
        self.columns
            .iter()
            .flat_map(|(table, columns)| columns.values().map(move |(from, to)| (table.as_str(), from.as_str(), to.as_str())))
    }

    /// The map that takes everything back.
    pub fn inverse(&self) -> RenameMap {
        let mut back = RenameMap::default();
        for (from, to) in self.table_renames() {
            back.rename_table(to, from);
        }
        for (table, from, to) in self.column_renames() {
            back.rename_column(self.table(table), to, from);
        }
        back
    }

    /// First this map, then the next; what comes back to its old name is left out.
    pub fn then(&self, next: &RenameMap) -> RenameMap {
        let mut both = RenameMap::default();
        let mut add_table = |from: &str, to: &str| {
            if from != to {
                both.rename_table(from, to);
            }
        };
        for (from, to) in self.table_renames() {
            add_table(from, next.table(to));
        }
        let back = self.inverse();
        for (from, to) in next.table_renames() {
            let origin = back.table(from);
            if self.table(origin) == origin || origin == from {
                add_table(origin, to);
            }
        }
        for (table, from, to) in self.column_renames() {
            let last = next.column(self.table(table), to);
            if from != last {
                both.rename_column(table, from, last);
            }
        }
        for (table, from, to) in next.column_renames() {
            let (old_table, origin) = (back.table(table).to_owned(), back.column(table, from).to_owned());
            if self.column(&old_table, &origin) == origin && origin != to {
                both.rename_column(&old_table, &origin, to);
            }
        }
        both
    }

    /// The schema under its new names, in checks and views too as far as they can be analysed; other texts stay as they
    /// are: comparison allows for that.
    pub fn applied_to(&self, schema: &Schema) -> Schema {
        if self.is_empty() {
            return schema.clone();
        }
        let olds: Vec<&str> = self.table_renames().map(|(from, _)| from).chain(self.column_renames().map(|(_, from, _)| from)).collect();
        let view = |before: &Table, mut after: Table| {
            if let Some(text) = before.definition.as_deref().filter(|text| sql::mentions_word(text, &olds, schema.engine)) {
                after.definition = Some(self.applied_to_sql(text, sql::Scope::Statement { table: &before.name }, schema));
            }
            after
        };
        let tables = schema.tables.iter().map(|table| view(table, self.applied_to_table(table))).collect();
        let mut renamed = Schema::new(schema.engine, tables);
        renamed.outside.clone_from(&schema.outside);
        renamed.objects.clone_from(&schema.objects);
        renamed.catalogue.clone_from(&schema.catalogue);
        renamed.fingerprints.clone_from(&schema.fingerprints);
        renamed
    }

    /// One table under its new names.
    pub fn applied_to_table(&self, table: &Table) -> Table {
        let old = table.name.as_str();
        let renamed = |columns: &mut Vec<String>, of: &str| {
            for column in columns {
                *column = self.column(of, column).to_owned();
            }
        };
        let touched = self.table(old) != old || self.column_renames().any(|(of, ..)| name::same(of, old));
        let before = (touched && !table.checks.is_empty()).then(|| Schema::new(table.engine, vec![table.clone()]));
        let mut table = table.clone();
        let old_name = old.to_owned();
        if let Some(before) = before {
            for check in &mut table.checks {
                let scope = sql::Scope::Columns { table: &old_name, select: None };
                check.expression = self.applied_to_sql(&check.expression, scope, &before);
            }
        }
        for column in &mut table.columns {
            column.name = self.column(&old_name, &column.name).to_owned();
        }
        renamed(&mut table.primary_key, &old_name);
        for unique in &mut table.uniques {
            renamed(&mut unique.columns, &old_name);
        }
        for index in &mut table.indexes {
            for column in index.parts.iter_mut().filter_map(|p| p.column.as_mut()) {
                *column = self.column(&old_name, column).to_owned();
            }
            renamed(&mut index.carries, &old_name);
        }
        for grant in &mut table.grants {
            renamed(&mut grant.columns, &old_name);
        }
        for key in &mut table.foreign_keys {
            renamed(&mut key.columns, &old_name);
            let target = key.table.clone();
            renamed(&mut key.to, &target);
            key.table = self.table(&target).to_owned();
        }
        table.foreign_keys.sort();
        table.uniques.sort();
        table.name = self.table(&old_name).to_owned();
        table
    }

    fn applied_to_sql(&self, text: &str, scope: sql::Scope<'_>, schema: &Schema) -> String {
        let mut out = text.to_owned();
        for (at, new) in sql::rename_in(text, scope, schema, self).unwrap_or_default().into_iter().rev() {
            out.replace_range(at, &new);
        }
        out
    }

    /// Whether `new` is what a renamed `old` is called now, for a name of any table: used where texts of
    /// views and checks are compared word by word.
    pub fn may_turn(&self, old: &str, new: &str) -> bool {
        let turns = |(from, to): (&str, &str)| name::same(from, old) && name::same(to, new);
        self.table_renames().any(turns) || self.column_renames().any(|(_, from, to)| turns((from, to)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn map(pairs: &[(&str, &str, &str)]) -> RenameMap {
        let mut map = RenameMap::default();
        for (table, from, to) in pairs {
            if from.is_empty() { map.rename_table(table, to) } else { map.rename_column(table, from, to) }
        }
        map
    }

    #[test]
    fn there_and_back_composes_to_nothing() {
        let there = map(&[("hive", "tag", "hive_no"), ("hive", "", "box"), ("hive", "a", "b"), ("hive", "b", "a")]);
        assert!(there.then(&there.inverse()).is_empty(), "{:?}", there.then(&there.inverse()));
        assert_eq!(there.inverse().column("box", "hive_no"), "tag");
    }

    #[test]
    fn chains_compose_over_renamed_tables() {
        let both = map(&[("hive", "", "box"), ("hive", "tag", "no")]).then(&map(&[("box", "no", "number"), ("box", "colour", "paint")]));
        assert_eq!((both.table("hive"), both.column("hive", "tag"), both.column("hive", "colour")), ("box", "number", "paint"));
    }
}
