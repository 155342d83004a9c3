//! Where foreign keys lead, given the table they lead to.

use super::{ForeignKey, Table};
use crate::name;

impl ForeignKey {
    /// The columns of the target, its primary key where none are named.
    pub fn target_columns<'a>(&'a self, target: &'a Table) -> &'a [String] {
        if self.to.is_empty() { &target.primary_key } else { &self.to }
    }

    /// Whether the target has the columns, as its key or a unique constraint.
    pub fn fits(&self, target: &Table) -> bool {
        let columns = self.target_columns(target);
        columns.len() == self.columns.len() && columns.iter().all(|c| target.column(c).is_some()) && target.is_unique(columns)
    }

    /// Whether this key says the same as another: target's primary key named or not.
    pub fn means(&self, other: &ForeignKey, target: Option<&Table>) -> bool {
        let to = |key: &ForeignKey| -> Vec<String> {
            target.map_or_else(|| key.to.clone(), |t| key.target_columns(t).to_vec()).iter().map(|c| name::fold(c)).collect()
        };
        let folded = |columns: &[String]| -> Vec<String> { columns.iter().map(|c| name::fold(c)).collect() };
        name::same(&self.table, &other.table)
            && folded(&self.columns) == folded(&other.columns)
            && to(self) == to(other)
            && self.on_delete == other.on_delete
            && self.on_update == other.on_update
            && (self.deferred, self.deferrable, self.not_valid) == (other.deferred, other.deferrable, other.not_valid)
            && self.matching == other.matching
    }
}
