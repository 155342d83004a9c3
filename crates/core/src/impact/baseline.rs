//! What was known before: the findings of an earlier report, so that a pipeline tells only what is new.
//!
//! A finding is the same as an earlier one by its rule, its element and its cause. Its line moves with every edit, its
//! message with every count, and its pages with every page that is added: on a new page it is new.

use super::Finding;
use crate::changes::Change;
use serde::Deserialize;
use std::collections::{BTreeMap, BTreeSet};

/// The findings of an earlier report, each as often as it was there.
#[derive(Debug)]
pub struct Baseline(BTreeMap<Vec<String>, Vec<BTreeSet<String>>>);

#[derive(Deserialize)]
struct Earlier {
    #[serde(default)]
    changes: Vec<serde_json::Value>,
    findings: Vec<EarlierFinding>,
}

#[derive(Deserialize)]
struct EarlierFinding {
    rule: String,
    severity: String,
    entity: Option<String>,
    #[serde(default)]
    pages: Vec<String>,
    role: Option<String>,
    field: Option<String>,
    at: Option<EarlierPlace>,
    cause: Option<usize>,
}

#[derive(Deserialize)]
struct EarlierPlace {
    file: String,
}

impl Baseline {
    /// Reads an earlier `impact --format json`.
    ///
    /// # Errors
    /// What is wrong with it, in words.
    pub fn read(text: &str) -> Result<Baseline, String> {
        let value: serde_json::Value = serde_json::from_str(text).map_err(|e| e.to_string())?;
        if value.get("findings").is_none() {
            return Err("it has no `findings`".to_owned());
        }
        let earlier: Earlier = serde_json::from_value(value).map_err(|e| e.to_string())?;
        let mut known: BTreeMap<Vec<String>, Vec<BTreeSet<String>>> = BTreeMap::new();
        for finding in earlier.findings {
            let cause = finding.cause.and_then(|at| earlier.changes.get(at)).map(caused).unwrap_or_default();
            let file = finding.at.map(|at| at.file);
            let parts = [Some(finding.rule), Some(finding.severity), finding.entity, finding.role, finding.field, file, Some(cause)];
            known.entry(parts.into_iter().map(Option::unwrap_or_default).collect()).or_default().push(finding.pages.into_iter().collect());
        }
        Ok(Baseline(known))
    }

    /// Whether it has a finding, once for each time it was there; `changes` are those of the finding's own report.
    pub fn has(&mut self, finding: &Finding, changes: &[Change]) -> bool {
        let cause = finding.cause.and_then(|at| changes.get(at)).map(|c| caused(&serde_json::to_value(c).unwrap_or_default()));
        let file = finding.at.as_ref().map(|at| at.file.clone());
        let (rule, severity) = (Some(finding.rule.to_owned()), Some(finding.severity.word().to_owned()));
        let parts = [rule, severity, finding.entity.clone(), finding.role.clone(), finding.field.clone(), file, cause];
        let identity: Vec<String> = parts.into_iter().map(Option::unwrap_or_default).collect();
        let Some(known) = self.0.get_mut(&identity) else { return false };
        let Some(at) = known.iter().position(|pages| finding.pages.iter().all(|page| pages.contains(page))) else { return false };
        known.swap_remove(at);
        true
    }
}

/// A change by what it is about: not by its types or texts, which may change further.
fn caused(change: &serde_json::Value) -> String {
    let part = |name: &str| change.get(name).and_then(serde_json::Value::as_str).unwrap_or_default();
    ["kind", "table", "column", "object"].map(part).join("/")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::changes::ChangeKind;
    use crate::impact::Severity;

    #[test]
    fn a_finding_is_known_by_rule_element_and_cause() {
        let change = |column: &str| Change { column: Some(column.to_owned()), ..Change::of_table(ChangeKind::ColumnDropped, "keeper") };
        let changes = [change("phone"), change("email")];
        let finding = |message: &str, pages: &[&str], cause: usize| {
            let mut finding = Finding::new("page/column-missing", Severity::Break, message).entity("keeper").field("phone");
            (finding.pages, finding.cause) = (pages.iter().map(|p| (*p).to_owned()).collect(), Some(cause));
            finding
        };
        let earlier = serde_json::json!({ "changes": changes, "findings": [finding("3 records", &["list", "edit"], 0)] });
        let known = |finding: &Finding| Baseline::read(&earlier.to_string()).unwrap().has(finding, &changes);
        for (own, expected) in [
            (finding("4 records", &["list", "edit"], 0), true),
            (finding("3 records", &["list"], 0), true),
            (finding("3 records", &["list", "add"], 0), false),
            (finding("3 records", &["list"], 1), false),
            (finding("3 records", &["list"], 0).field("email"), false),
            (finding("3 records", &["list"], 0).role("vet"), false),
        ] {
            assert_eq!(known(&own), expected, "{own:?}");
        }
        let mut once = Baseline::read(&earlier.to_string()).unwrap();
        assert!(once.has(&finding("x", &["list"], 0), &changes) && !once.has(&finding("x", &["list"], 0), &changes));
        for bad in ["", "[]", "{}", "{\"findings\": 1}"] {
            assert!(Baseline::read(bad).is_err(), "{bad}");
        }
    }
}
