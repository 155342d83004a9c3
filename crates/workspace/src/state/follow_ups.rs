//! `.ysomorph/follow-ups.toml`: what merges left to a person. A follow-up closes when it is true no more, or by hand.

use crate::open::{FileError, read_toml};
use serde::{Deserialize, Serialize};
use ysomorph_core::impact::Finding;

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
    /// Closed by a person.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub done: bool,
}

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct File {
    follow_up: Vec<FollowUp>,
}

pub(super) fn read(text: &str) -> Result<Vec<FollowUp>, FileError> {
    read_toml::<File>(FOLLOW_UPS, text).map(|file| file.follow_up)
}

pub(crate) fn write(follow_ups: &[FollowUp]) -> Option<String> {
    if follow_ups.is_empty() {
        return None;
    }
    toml_edit::ser::to_string_pretty(&File { follow_up: follow_ups.to_vec() }).ok()
}

/// The follow-ups of what still breaks after a merge; what was closed stays closed.
pub(crate) fn of(findings: &[Finding], earlier: &[FollowUp]) -> Vec<FollowUp> {
    let mut all: Vec<FollowUp> = Vec::new();
    for finding in findings {
        let part = finding.field.as_deref().or(finding.role.as_deref()).or(finding.pages.first().map(String::as_str)).unwrap_or("all");
        let name = format!("{}/{}/{part}", finding.rule, finding.entity.as_deref().unwrap_or("app"));
        let same = all.iter().filter(|f| f.name == name || f.name.starts_with(&format!("{name}_"))).count();
        let name = if same == 0 { name } else { format!("{name}_{}", same + 1) };
        let done = earlier.iter().any(|f| f.done && f.name == name && f.message == finding.message);
        let file = finding.at.as_ref().map(|at| at.file.clone());
        all.push(FollowUp { name, rule: finding.rule.to_owned(), file, message: finding.message.clone(), done });
    }
    all
}
