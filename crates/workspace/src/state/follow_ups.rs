//! `.ysomorph/follow-ups.toml`: what merges left to a person. A follow-up closes when it is true no more, or by hand.

use crate::open::{FileError, read_state};
use serde::{Deserialize, Serialize};
use ysomorph_core::definition::{Node, Tree};
use ysomorph_core::impact::{Finding, Severity};

/// The file.
pub(crate) const FOLLOW_UPS: &str = ".ysomorph/follow-ups.toml";

/// Something left to a person.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FollowUp {
    /// Its stable name, to close it by.
    pub name: String,
    /// The rule that found it.
    pub rule: String,
    /// The file concerned.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
    /// What is the matter.
    pub message: String,
    /// For what can't be told from the files alone: the SQL it is about; closed when that was changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sql: Option<String>,
    /// Closed by a person.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub done: bool,
}

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct File {
    /// Version of the format; a newer one is refused before it is read.
    #[serde(skip_serializing_if = "Option::is_none")]
    format: Option<u32>,
    follow_up: Vec<FollowUp>,
}

pub(super) fn read(text: &str) -> Result<Vec<FollowUp>, FileError> {
    read_state::<File>(FOLLOW_UPS, text).map(|file| file.follow_up)
}

pub(crate) fn write(follow_ups: &[FollowUp]) -> Option<String> {
    if follow_ups.is_empty() {
        return None;
    }
    toml_edit::ser::to_string_pretty(&File { format: Some(1), follow_up: follow_ups.to_vec() }).ok()
}

/// The follow-ups of what still breaks after a merge, and earlier ones that are still so; what was closed stays closed.
pub(crate) fn of(findings: &[Finding], earlier: &[FollowUp], tree: &Tree) -> Vec<FollowUp> {
    let mut all: Vec<FollowUp> = Vec::new();
    // In an order that doesn't depend on lines: they move with the next edit.
    let mut findings: Vec<&Finding> = findings.iter().collect();
    findings.sort_by_key(|f| (f.severity, &f.entity, f.rule, &f.field, &f.role, &f.pages, &f.message));
    for finding in findings {
        let part = finding.field.as_deref().or(finding.role.as_deref()).or(finding.pages.first().map(String::as_str)).unwrap_or("all");
        let name = format!("{}/{}/{part}", finding.rule, finding.entity.as_deref().unwrap_or("app"));
        let same = all.iter().filter(|f| f.name == name || f.name.starts_with(&format!("{name}_"))).count();
        let name = if same == 0 { name } else { format!("{name}_{}", same + 1) };
        let done = earlier.iter().any(|f| f.done && f.name == name && f.message == finding.message);
        let file = finding.at.as_ref().map(|at| at.file.clone());
        let sql = (finding.severity == Severity::Risk).then(|| text_at(tree, finding)).flatten();
        all.push(FollowUp { name, rule: finding.rule.to_owned(), file, message: finding.message.clone(), sql, done });
    }
    let still = |f: &&FollowUp| f.sql.as_ref().is_some_and(|sql| tree.files.values().any(|root| holds(root, sql)));
    let kept: Vec<FollowUp> = earlier.iter().filter(still).filter(|f| !all.iter().any(|a| a.name == f.name)).cloned().collect();
    all.extend(kept);
    all
}

/// The text that stands where a finding is.
fn text_at(tree: &Tree, finding: &Finding) -> Option<String> {
    let at = finding.at.as_ref()?;
    let root = tree.files.iter().find(|(file, _)| file.path() == at.file)?.1;
    let mut found = None;
    each_text(root, &mut |node, text| {
        if (node.at.line, node.at.column) == (at.line, at.column) {
            found = Some(text.to_owned());
        }
    });
    found
}

/// Whether a file still holds a text as one of its values.
fn holds(root: &Node, wanted: &str) -> bool {
    let mut found = false;
    each_text(root, &mut |_, text| found |= text == wanted);
    found
}

fn each_text(node: &Node, visit: &mut dyn FnMut(&Node, &str)) {
    if let Some(text) = node.as_text() {
        visit(node, text);
    }
    node.items().iter().for_each(|item| each_text(item, visit));
    node.entries().iter().for_each(|entry| each_text(&entry.node, visit));
}
