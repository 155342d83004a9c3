//! What a merge is made from, and what it comes to.

use super::edit::Edit;
use super::follow::FieldNames;
use super::layout::NewFields;
use super::memory::{Memory, Part};
use super::ownership::{Kept, Marks};
use super::questions::Question;
use crate::changes::Comparison;
use crate::definition::Tree;
use crate::draft::Conventions;
use crate::impact::{self, Finding, Severity};
use crate::rename::RenamePolicy;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What the generator wrote, and what is a person's although it says the same.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Stored {
    /// The stored draft.
    pub tree: Tree,
    /// Elements marked as hand-made.
    pub marks: Marks,
    /// The role that `start` drafted.
    pub start_role: Option<String>,
    /// New tables answered `later`.
    pub later: BTreeSet<String>,
}

/// What a merge is made from.
#[derive(Debug, Clone, Copy)]
pub struct Input<'a> {
    /// The definition.
    pub tree: &'a Tree,
    /// The stored draft.
    pub stored: &'a Stored,
    /// The schema the definition last agreed with.
    pub accepted: &'a Schema,
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// What earlier merges remember.
    pub memory: &'a Memory,
    /// Answers by question name.
    pub answers: &'a BTreeMap<String, String>,
    /// How drafts are made.
    pub conventions: &'a Conventions,
    /// Which renames are taken.
    pub renames: RenamePolicy,
    /// What new fields do on hand-laid pages.
    pub new_fields: NewFields,
    /// What a field's name does when its column is renamed.
    pub field_names: FieldNames,
}

/// What a merge comes to.
#[derive(Debug, Clone)]
pub struct Outcome {
    /// What changed in the database.
    pub comparison: Comparison,
    /// The edits in order.
    pub edits: Vec<Edit>,
    /// The definition after them.
    pub tree: Tree,
    /// The new stored draft.
    pub stored: Stored,
    /// What is remembered from now on; new parts have no bytes yet.
    pub memory: Memory,
    /// The new accepted schema.
    pub accepted: Schema,
    /// Questions, answered or open.
    pub questions: Vec<Question>,
    /// Customisations that stay.
    pub kept: Vec<Kept>,
    /// Parts set aside by this merge.
    pub set_aside: Vec<Part>,
    /// Parts put back by this merge.
    pub restored: Vec<Part>,
    /// SQL that couldn't be analysed with certainty although it may name something renamed.
    pub doubtful: Vec<Finding>,
    /// Fields that were renamed with their columns: entity, old name, new name.
    pub renamed_fields: Vec<(String, String, String)>,
    /// Tables to leave out for good.
    pub exclude: Vec<String>,
    /// Answers that no question asked for.
    pub unasked: Vec<String>,
}

impl Outcome {
    /// What still breaks afterwards and is left to a person. Looks at every page, so it is asked for, not given.
    pub fn follow_ups(&self, changed: &Schema) -> Vec<Finding> {
        self.breaks_left(changed).into_iter().chain(self.doubtful.iter().cloned()).collect()
    }

    /// What breaks in the definition as the merge leaves it, on the whole changed schema: tables that are left for later
    /// aren't accepted, and may refuse a write all the same.
    pub fn breaks_left(&self, changed: &Schema) -> Vec<Finding> {
        impact::check(&self.tree, changed).into_iter().filter(|f| f.severity == Severity::Break).collect()
    }

    /// Questions nobody has answered.
    pub fn open_questions(&self) -> impl Iterator<Item = &Question> {
        self.questions.iter().filter(|q| q.is_open())
    }
}
