//! Renames by the catalogue's own numbers, where both schemas were read from the same database.

use super::evidence::CertainRename;
use crate::name;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What the numbers of one database say.
#[derive(Debug, Default)]
pub(super) struct Numbers {
    /// Renames they show.
    pub renames: Vec<CertainRename>,
    /// Accepted tables that are still the same table, whatever it is called.
    same: BTreeSet<String>,
    known: bool,
}

impl Numbers {
    /// Compares the numbers; empty where the schemas aren't from the same database.
    pub fn of(accepted: &Schema, changed: &Schema) -> Numbers {
        let (Some(before), Some(after)) = (&accepted.catalogue, &changed.catalogue) else { return Numbers::default() };
        if !accepted.same_database(changed) {
            return Numbers::default();
        }
        let by_number: BTreeMap<u64, &str> = after.tables.iter().map(|t| (t.number, t.table.as_str())).collect();
        let known: BTreeMap<&str, &crate::schema::TableNumbers> = after.tables.iter().map(|t| (t.table.as_str(), t)).collect();
        let mut found = Numbers { known: true, ..Numbers::default() };
        for old in before.tables.iter().filter(|t| accepted.table(&t.table).is_some()) {
            let Some(now) = by_number.get(&old.number).filter(|now| changed.table(now).is_some()) else { continue };
            found.same.insert(name::fold(&old.table));
            if **now != old.table {
                // Another thing under the old name: a person has to say which one the application means.
                let taken_over = changed.table(&old.table).is_some();
                found.add(&old.table, None, now, taken_over);
            }
            let Some(now) = known.get(now) else { continue };
            if now.columns == old.columns {
                continue;
            }
            let columns: BTreeMap<u64, &str> = now.columns.iter().map(|(name, number)| (*number, name.as_str())).collect();
            for (column, number) in &old.columns {
                if let Some(new) = columns.get(number).filter(|new| **new != column) {
                    found.add(&old.table, Some(column), new, now.columns.contains_key(column));
                }
            }
        }
        found
    }

    fn add(&mut self, table: &str, column: Option<&str>, to: &str, ask: bool) {
        let reason = "the same number in the database's catalogue".to_owned();
        self.renames.push(CertainRename { table: table.to_owned(), column: column.map(str::to_owned), to: to.to_owned(), reason, ask });
    }

    /// Whether there are numbers to go by.
    pub fn are_known(&self) -> bool {
        self.known
    }

    /// Whether the numbers say that a lost column can't be the new one: it left a table that is still there.
    pub fn contradict(&self, table: &str) -> bool {
        self.same.contains(&name::fold(table))
    }
}
