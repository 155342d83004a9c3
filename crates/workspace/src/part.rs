//! A merge of a part: only the tables that some entities use.

use crate::open::Workspace;
use std::collections::BTreeSet;
use ysomorph_core::changes::Change;
use ysomorph_core::merge::{UsedElsewhere, partly, tables_of, used_elsewhere};
use ysomorph_core::name;
use ysomorph_core::schema::Schema;

/// What a part of a merge goes by.
#[derive(Debug, Clone)]
pub struct Part {
    /// The changed schema as far as the part goes.
    pub schema: Schema,
    /// The changes that are left for later.
    pub for_later: Vec<Change>,
}

impl Workspace {
    /// The part of a change that concerns some entities.
    ///
    /// # Errors
    /// The tables that can't be taken along, since other entities use them too.
    pub fn part(&self, changed: &Schema, entities: &BTreeSet<String>) -> Result<Part, Vec<UsedElsewhere>> {
        let answers = self.answer_map();
        let accepted = self.accepted();
        let comparison = self.merge_input(changed, &answers).database().comparison();
        let tables = tables_of(entities, &self.tree, accepted);
        let used = used_elsewhere(&tables, entities, &self.tree, accepted, &comparison, changed);
        if !used.is_empty() {
            return Err(used);
        }
        let schema = partly(accepted, changed, &comparison, &tables, &self.state.kept.known.later);
        let taken: BTreeSet<String> = tables.iter().map(|table| name::fold(table)).collect();
        let is_taken = |change: &&Change| taken.contains(&name::fold(&change.table));
        let for_later = comparison.changes.iter().filter(|change| !is_taken(change)).cloned().collect();
        Ok(Part { schema, for_later })
    }
}
