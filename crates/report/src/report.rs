//! What a command found, as one value.

use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::access::Access;
use ysomorph_core::changes::Change;
use ysomorph_core::definition::{Model, Node, Value};
use ysomorph_core::draft::Note;
use ysomorph_core::drawing::Drawing;
use ysomorph_core::impact::{Finding, FollowUp, Location, Severity};
use ysomorph_core::merge::{Aside, Done, Kept, Outcome, Question};

/// A page drawn, and when it looks so.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct DrawnPage {
    /// `now`, or `after the merge`.
    pub when: String,
    /// The page.
    pub page: Drawing,
    /// What of it the generator guessed and nobody changed since.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub notes: Vec<Note>,
}

/// Most pages that are drawn; the others are named. A page has to open from a mail.
pub(crate) const MOST_DRAWN: usize = 120;

/// Records by entity and page: a text for each field that isn't a related set.
pub type PageRecords = BTreeMap<(String, String), Vec<Vec<Option<String>>>>;

/// What pictures are drawn from, beside what a report says.
#[derive(Debug, Clone, Default)]
pub struct Scene {
    /// Which database was looked at, without its password.
    pub database: String,
    /// When.
    pub when: String,
    /// The definition.
    pub now: Model,
    /// The definition as the merge leaves it.
    pub after: Option<Model>,
    /// What is broken then.
    pub left: Vec<Finding>,
    /// Records of pages that can't work, as they are and as the merge leaves them, where somebody asked for them.
    pub records: [PageRecords; 2],
}

/// The result of `changes`, `impact`, `check`, `decide` or `merge`.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct Report {
    /// Version of the format.
    pub format: u32,
    /// The command.
    pub command: String,
    /// Digests of the two schemas.
    pub schema: SchemaDigests,
    /// Pages drawn.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub drawn: Vec<DrawnPage>,
    /// What changed in the database.
    pub changes: Vec<Change>,
    /// What breaks, and what else has to be known.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub findings: Option<Vec<Finding>>,
    /// Questions, answered or open.
    pub questions: Vec<Question>,
    /// How many findings of each severity.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub totals: Option<Totals>,
    /// Edits of the definition.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub edits: Option<Vec<EditReport>>,
    /// Customisations that stay.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub kept: Option<Vec<KeptReport>>,
    /// How many customisations stand in files that weren't opened for this.
    #[serde(skip)]
    pub kept_elsewhere: usize,
    /// Parts set aside.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub set_aside: Option<Vec<PartReport>>,
    /// Parts put back.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub restored: Option<Vec<PartReport>>,
    /// Parts that were set aside and gave way, for good, to what people did to the files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub superseded: Vec<PartReport>,
    /// What is left to a person.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub follow_ups: Option<Vec<FollowUpReport>>,
    /// The patch for hand-written code.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub patch: Option<PatchReport>,
    /// What was rehearsed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rehearsal: Option<Rehearsal>,
    /// Whether it was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub written: Option<bool>,
    /// Answers that no question asks for.
    pub unasked: Vec<String>,
    /// Files as they are and would be, for the text's diff.
    #[serde(skip)]
    pub diffs: Vec<FileDiff>,
    /// The definition's texts by file, to quote places.
    #[serde(skip)]
    pub texts: BTreeMap<String, String>,
    /// Every page of the definition: entity and name, those of an entity one after the other, by its name.
    #[serde(skip)]
    pub pages: Vec<(String, String)>,
    /// Entities and pages of the definition.
    #[serde(skip)]
    pub counts: (usize, usize),
    /// Files of the workspace's state in which two branches met: a merge brings them together.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub joined: Vec<String>,
    /// The entities that a part of a merge is about.
    #[serde(skip)]
    pub only: Vec<String>,
    /// The changes that a part of a merge leaves for later.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub left_for_later: Option<Vec<Change>>,
    /// What earlier merges left to people and is still so.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub open_follow_ups: Vec<OpenFollowUp>,
    /// Who may see and do what, before and after.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub access: Vec<Access>,
    /// What pictures are drawn from.
    #[serde(skip)]
    pub scene: Option<Box<Scene>>,
    /// How findings are ordered.
    #[serde(skip)]
    pub order: Order,
    /// Findings left out because a baseline has them.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub known: usize,
    /// Findings left out because others were asked for.
    #[serde(skip)]
    pub narrowed: usize,
    /// Show everything.
    #[serde(skip)]
    pub verbose: bool,
    /// Show who made each change.
    #[serde(skip)]
    pub by: bool,
    /// Why a change log doesn't tell who made the changes.
    #[serde(skip)]
    pub log: Option<String>,
    /// The comparison is of two schemas without a definition.
    #[serde(skip)]
    pub alone: bool,
    /// New tables that were left for later: they don't count as changes.
    #[serde(skip)]
    pub later: Vec<String>,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

/// How findings are ordered in text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Order {
    /// By the change that caused them.
    #[default]
    Cause,
    /// By entity.
    Entity,
    /// By severity alone.
    Severity,
}

/// What was rehearsed on a database.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct Rehearsal {
    /// The engine.
    pub engine: String,
    /// The role whose grants held; absent for the user who asked.
    pub role: Option<String>,
    /// How many statements.
    pub statements: usize,
    /// How many of them the database refused.
    pub refused: usize,
    /// The pages: entity and name.
    pub pages: Vec<(String, String)>,
}

/// Digests of the accepted and the changed schema.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct SchemaDigests {
    /// The schema the definition last agreed with.
    pub accepted: String,
    /// The schema as it is now.
    pub changed: String,
}

/// How many findings of each severity.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Totals {
    /// Fails when used.
    #[serde(rename = "break")]
    pub breaks: usize,
    /// Works, but wrong.
    pub risk: usize,
    /// Worth knowing.
    pub note: usize,
}

impl Totals {
    /// Counts findings.
    pub fn of<'f>(findings: impl IntoIterator<Item = &'f Finding>) -> Totals {
        let mut totals = Totals::default();
        for finding in findings {
            match finding.severity {
                Severity::Break => totals.breaks += 1,
                Severity::Risk => totals.risk += 1,
                Severity::Note => totals.note += 1,
            }
        }
        totals
    }
}

/// An edit of the definition.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct EditReport {
    /// The file.
    pub file: String,
    /// The element.
    pub path: String,
    /// replace, add, remove or restore
    pub action: String,
    /// The value before.
    pub old: Option<serde_json::Value>,
    /// The value after.
    pub new: Option<serde_json::Value>,
    /// Why.
    pub because: String,
}

/// A customisation that stays.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct KeptReport {
    /// The element.
    pub path: String,
    /// What stands there.
    pub yours: Option<serde_json::Value>,
    /// What the draft says instead.
    pub draft: Option<serde_json::Value>,
    /// Whether this change concerns it.
    pub concerned: bool,
    /// Where it stands.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at: Option<Location>,
}

/// A part set aside or put back.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct PartReport {
    /// The element.
    pub path: String,
    /// What it was.
    pub value: Option<serde_json::Value>,
    /// Why.
    pub because: String,
}

/// What a merge leaves to a person.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct FollowUpReport {
    /// Its name: `decide done/NAME` closes it.
    pub name: String,
    /// What is the matter.
    #[serde(flatten)]
    pub finding: Finding,
}

/// What an earlier merge left to a person and is still so.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct OpenFollowUp {
    /// Its name: `decide done/NAME` closes it.
    pub name: String,
    /// The rule that found it.
    pub rule: String,
    /// How bad it is.
    pub severity: Severity,
    /// The file concerned.
    pub file: Option<String>,
    /// The entity concerned.
    pub entity: Option<String>,
    /// What is the matter.
    pub message: String,
    /// In how many places.
    pub places: usize,
}

/// A patch that was written.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct PatchReport {
    /// Where it is.
    pub file: String,
    /// The files it is for.
    pub files: Vec<String>,
}

/// A file before and after.
#[derive(Debug, Clone, Default)]
pub struct FileDiff {
    /// The file.
    pub path: String,
    /// Its text before.
    pub before: Option<String>,
    /// Its text after.
    pub after: Option<String>,
}

impl FileDiff {
    /// Whether it is of the definition: the workspace's own bookkeeping isn't shown.
    pub fn is_shown(&self) -> bool {
        !self.path.starts_with(".ysomorph/")
    }
}

impl Report {
    /// How many pages an entity has.
    pub(crate) fn pages_of(&self, entity: &str) -> usize {
        let from = self.pages.partition_point(|(other, _)| other.as_str() < entity);
        self.pages.iter().skip(from).take_while(|(other, _)| other == entity).count()
    }

    /// The pages that can't work, by entity.
    pub fn broken_pages(&self) -> BTreeSet<(&str, &str)> {
        let breaks = self.findings.iter().flatten().filter(|f| f.severity == Severity::Break);
        breaks.flat_map(|f| f.pages.iter().map(move |page| (f.entity.as_deref().unwrap_or_default(), page.as_str()))).collect()
    }

    /// Those of them that pictures are drawn of.
    pub fn drawn_pages(&self) -> impl Iterator<Item = (&str, &str)> {
        self.broken_pages().into_iter().take(MOST_DRAWN)
    }

    /// With the outcome of a merge.
    #[must_use]
    pub fn with_merge(mut self, outcome: &Outcome, follow_ups: &[FollowUp], written: bool) -> Report {
        let edits = outcome.edits.iter().map(|edit| EditReport {
            file: edit.element.file.path(),
            path: edit.element.shown(),
            action: match edit.done {
                Done::Replace => "replace",
                Done::Rename => "rename",
                Done::Add => "add",
                Done::Remove => "remove",
                Done::Restore => "restore",
            }
            .to_owned(),
            old: edit.old.as_ref().map(value),
            new: edit.new.as_ref().map(value),
            because: edit.because.clone(),
        });
        self.edits = Some(edits.collect());
        self.kept = Some(outcome.kept.iter().map(kept_report).collect());
        let part = |p: &Aside| PartReport { path: p.element.shown(), value: p.value.as_ref().map(value), because: p.because.clone() };
        self.set_aside = Some(outcome.set_aside.iter().map(part).collect());
        self.restored = Some(outcome.restored.iter().map(part).collect());
        self.follow_ups = Some(follow_ups.iter().map(|f| FollowUpReport { name: f.name.clone(), finding: f.finding.clone() }).collect());
        self.written = Some(written);
        self
    }

    /// With customisations.
    #[must_use]
    pub fn with_kept(mut self, kept: &[Kept]) -> Report {
        self.kept = Some(kept.iter().map(kept_report).collect());
        self
    }

    /// With findings and their totals.
    #[must_use]
    pub fn with_findings(mut self, findings: Vec<Finding>) -> Report {
        self.totals = Some(Totals::of(&findings));
        self.findings = Some(findings);
        self
    }

    /// Changes that count: all but new tables left for later.
    pub fn counted_changes(&self) -> usize {
        use ysomorph_core::changes::ChangeKind;
        self.changes.iter().filter(|c| !(c.kind == ChangeKind::TableAdded && self.later.contains(&c.table))).count()
    }
}

/// A definition value as JSON.
fn value(node: &Node) -> serde_json::Value {
    match &node.value {
        Value::Bool(truth) => (*truth).into(),
        Value::Int(number) => (*number).into(),
        Value::Text(text) | Value::Other(text) => text.as_str().into(),
        Value::List(items) => items.iter().map(value).collect(),
        Value::Table(entries) => serde_json::Value::Object(entries.iter().map(|e| (e.key.clone(), value(&e.node))).collect()),
    }
}

fn kept_report(kept: &Kept) -> KeptReport {
    let at = kept.yours.as_ref().map(|yours| Location {
        file: kept.element.file.path(),
        line: yours.at.line.max(1),
        column: yours.at.column.max(1),
    });
    KeptReport {
        path: kept.element.shown(),
        yours: kept.yours.as_ref().map(value),
        draft: kept.draft.as_ref().map(value),
        concerned: kept.concerned,
        at,
    }
}
