//! What changed in the database, by all that is known of it: told without the definition.

use super::asked::{NewTables, rename_questions};
use super::identities::Identities;
use super::outcome::MergeInput;
use super::questions::Question;
use super::thing::Thing;
use crate::changes::{Comparison, compare};
use crate::name;
use crate::rename::{Known, RenamePolicy};
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// A change of the database, and what earlier merges and answers say of it.
#[derive(Debug, Clone, Copy)]
pub struct DatabaseChange<'a> {
    /// What earlier merges know of the database.
    pub known: &'a Identities,
    /// The schema the definition last agreed with.
    pub accepted: &'a Schema,
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// Answers by question name.
    pub answers: &'a BTreeMap<String, String>,
    /// Which renames are taken.
    pub renames: RenamePolicy,
}

/// What a change of the database comes to by itself.
#[derive(Debug, Clone)]
pub struct Seen {
    /// What changed.
    pub comparison: Comparison,
    /// Questions about renames and new tables, answered or open. Others are about the definition.
    pub questions: Vec<Question>,
    /// New tables that come later.
    pub later: BTreeSet<String>,
}

impl<'a> MergeInput<'a> {
    /// What it says of the database.
    pub fn database(&self) -> DatabaseChange<'a> {
        let MergeInput { known, accepted, changed, answers, renames, .. } = *self;
        DatabaseChange { known, accepted, changed, answers, renames }
    }
}

impl DatabaseChange<'_> {
    /// What is known of renames beyond the two schemas.
    pub(super) fn known_renames(&self) -> Known {
        let (former, returning) = (self.known.former(), self.known.returning());
        Known { policy: self.renames, former, answers: self.answers.clone(), returning }
    }

    /// What changed between the two schemas.
    pub fn comparison(&self) -> Comparison {
        compare(self.accepted, self.changed, &self.known_renames())
    }

    /// What changed, and what is asked of it.
    pub fn seen(&self) -> Seen {
        let comparison = self.comparison();
        let taken = comparison.taken();
        let tables = self.new_tables(&comparison, &taken.applied_to(self.accepted));
        let mut questions = rename_questions(self.answers, &comparison);
        questions.extend(tables.questions);
        Seen { comparison, questions, later: tables.later }
    }

    /// New tables, and what was said of them; `carried` is the accepted schema under the names of now.
    pub(super) fn new_tables(&self, comparison: &Comparison, carried: &Schema) -> NewTables {
        let returns = |table: &str| {
            let lost = self.known.lost.iter().filter(|(_, column)| column.is_none());
            lost.flat_map(|(t, _)| self.known.names_of(&Thing::table(t))).any(|n| name::same(&n, table))
        };
        NewTables::of(self.answers, &self.known.later, self.changed, comparison, carried, &returns)
    }
}
