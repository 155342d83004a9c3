//! What a merge is made from, and what it comes to.

use super::element::{Element, Step};
use super::follow::FieldNaming;
use super::identities::Identities;
use super::layout::NewFields;
use super::questions::Question;
use super::told::{Aside, Change, Done};
use super::values::Kept;
use super::whole::Whole;
use crate::access::{self, Access};
use crate::changes::Comparison;
use crate::definition::{FileKey, Model, Node, Tree, rename_mentions};
use crate::draft::Conventions;
use crate::impact::named::{CONDITION_BROKEN, FORMULA_BROKEN, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN, SOURCE_BROKEN};
use crate::impact::{self, Finding, FollowUp, Location, Severity};
use crate::rename::RenamePolicy;
use crate::schema::Schema;
use std::collections::{BTreeMap, BTreeSet};

/// What a merge is made from.
#[derive(Debug, Clone, Copy)]
pub struct MergeInput<'a> {
    /// The definition with everything that is hidden.
    pub whole: &'a Whole,
    /// What people deleted since the last command, as [`Element::encode`] writes it.
    pub deleted: &'a BTreeSet<String>,
    /// Fields that people gave another name since: entity, old name, new name. What is hidden still says the old one.
    pub renamed: &'a [(String, String, String)],
    /// Hidden fields whose names people gave to others since: entity, the name before, the one that it waits under.
    pub set_apart: &'a [(String, String, String)],
    /// Files that were read for the first time, or whose list is gone.
    pub fresh: &'a BTreeSet<FileKey>,
    /// What earlier merges know of the database.
    pub known: &'a Identities,
    /// The schema the definition last agreed with.
    pub accepted: &'a Schema,
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// Answers by question name.
    pub answers: &'a BTreeMap<String, String>,
    /// How drafts are made.
    pub conventions: &'a Conventions,
    /// Whether the definition may say names from before: two branches met, and one of them hadn't the other's renames.
    pub speaks_of_before: bool,
    /// Which renames are taken.
    pub renames: RenamePolicy,
    /// What new fields do on hand-laid pages.
    pub new_fields: NewFields,
    /// What a field's name does when its column is renamed.
    pub field_names: FieldNaming,
}

/// What a merge comes to.
#[derive(Debug, Clone)]
pub struct Outcome {
    /// What changed in the database.
    pub comparison: Comparison,
    /// The definition with everything that is hidden from now on.
    pub whole: Whole,
    /// What is shown of it.
    pub tree: Tree,
    /// What is known of the database from now on.
    pub known: Identities,
    /// The new accepted schema.
    pub accepted: Schema,
    /// Questions, answered or open.
    pub questions: Vec<Question>,
    /// Customisations that stay.
    pub kept: Vec<Kept>,
    /// What is done to what is shown.
    pub edits: Vec<Change>,
    /// What is hidden for what it names.
    pub set_aside: Vec<Aside>,
    /// What is shown again.
    pub restored: Vec<Aside>,
    /// SQL that couldn't be analysed with certainty although it may name something renamed.
    pub doubtful: Vec<Element>,
    /// Fields that were renamed with their columns: entity, old name, new name.
    pub renamed_fields: Vec<(String, String, String)>,
    /// Tables to leave out for good.
    pub exclude: Vec<String>,
    /// Answers that no question asked for.
    pub unasked: Vec<String>,
    /// Entities that weren't open and would be drafted otherwise now: without them this isn't the whole of the merge.
    pub unsteady: BTreeSet<String>,
}

impl Outcome {
    /// What still breaks afterwards and is left to a person. Looks at every page, so it is asked for, not given.
    pub fn follow_ups(&self, changed: &Schema) -> Vec<Finding> {
        let doubtful = self.doubtful.iter().filter_map(|e| Some(doubtful_sql(e, self.tree.files.get(&e.file)?)));
        self.breaks_left(changed).into_iter().chain(doubtful).collect()
    }

    /// What breaks in the definition as the merge leaves it, on the whole changed schema: tables that are left for later
    /// aren't accepted, and may refuse a write all the same.
    pub fn breaks_left(&self, changed: &Schema) -> Vec<Finding> {
        impact::check(&self.tree, changed).into_iter().filter(|f| f.severity == Severity::Break).collect()
    }

    /// What every role may see and do before and after: `before` is the definition as it was, on the schema it agreed with.
    pub fn access(&self, before: &Tree, accepted: &Schema) -> Vec<Access> {
        // What was before has to speak by the names of now, so that a filter under new names is the same filter.
        let mut renamed = before.clone();
        let taken = self.comparison.taken();
        if !taken.is_empty() {
            rename_mentions(&mut renamed, accepted, &taken);
        }
        let fields = self.renamed_fields.iter().map(|(entity, from, to)| ((entity.clone(), from.clone()), to.clone())).collect();
        access::compared(&Model::of(&renamed), &Model::of(&self.tree), &fields)
    }

    /// New fields that are on no page, where they could be.
    pub fn to_place(&self) -> Vec<FollowUp> {
        let new = self.edits.iter().filter(|edit| edit.done == Done::Add);
        let fields = new.filter_map(|edit| match edit.element.steps.as_slice() {
            [Step::Key(table), Step::Key(field)] if table == "field" => Some((edit.element.file.name(), field)),
            _ => None,
        });
        fields.filter_map(|(entity, field)| impact::to_place(&self.tree, entity, field)).collect()
    }

    /// Conditions that this merge replaced by one that nobody fulfils, and rules that it set aside.
    pub fn to_decide(&self) -> Vec<FollowUp> {
        let is_replaced = |follow_up: &FollowUp| {
            let at = follow_up.finding.at.as_ref();
            self.edits
                .iter()
                .filter(|edit| matches!(edit.done, Done::Replace) && ["where", "rows", "select"].contains(&edit.element.last()))
                .any(|edit| {
                    let root = self.tree.files.get(&edit.element.file);
                    let node = root.and_then(|root| root.at_path(&edit.element.resolve(root)?));
                    node.map(|node| Location::at(&edit.element.file, node.at)).as_ref() == at
                })
        };
        let mut all: Vec<FollowUp> = if self.edits.is_empty() { Vec::new() } else { impact::replaced_conditions(&self.tree) };
        all.retain(is_replaced);
        all.extend(self.set_aside.iter().filter_map(|aside| match aside.element.steps.as_slice() {
            [Step::Key(group), Step::Key(check)] if group == "check" => {
                impact::rule_set_aside(&self.tree, aside.element.file.name(), check)
            }
            _ => None,
        }));
        all
    }

    /// Questions nobody has answered.
    pub fn open_questions(&self) -> impl Iterator<Item = &Question> {
        self.questions.iter().filter(|q| q.is_open())
    }
}

/// SQL that can't be analysed with certainty isn't rewritten: a person has to look at it.
fn doubtful_sql(element: &Element, root: &Node) -> Finding {
    let rule = match element.last() {
        "rows" => ROW_FILTER_BROKEN,
        "formula" => FORMULA_BROKEN,
        "rule" => RULE_BROKEN,
        "select" | "sql" => SOURCE_BROKEN,
        _ if element.key_at(0) == Some("field") => LOOKUP_CONDITION_BROKEN,
        _ => CONDITION_BROKEN,
    };
    let message = format!(
        "{} can't be analysed with certainty and may name something that is gone or renamed: it was left as it is",
        element.shown()
    );
    let mut finding = Finding::new(rule, Severity::Risk, message).entity(element.file.name()).help("look through it and fix it by hand");
    if let Some(at) = element.resolve(root).and_then(|path| root.at_path(&path)).map(|n| n.at) {
        finding.at = Some(Location::at(&element.file, at));
    }
    finding
}
