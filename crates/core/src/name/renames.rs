//! Renames as a map from old names to new ones, composed over time.

use super as name;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

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

    /// Whether a table, or a column of it, is renamed.
    pub fn concerns(&self, table: &str) -> bool {
        !self.is_empty() && (self.tables.contains_key(&name::fold(table)) || self.columns.contains_key(&name::fold(table)))
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
