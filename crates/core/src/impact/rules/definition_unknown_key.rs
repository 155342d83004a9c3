//! A key that the format doesn't have.

use super::shared::problems;
use crate::definition::ProblemKind;
use crate::impact::{Context, Docs, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "definition/unknown-key", severity: Severity::Break, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A key that the format doesn't have.",
    matters: "The application can't do what the definition says.",
    before: "lable = \"Yard\"",
    after: "(nothing changed)",
    to_do: "Correct the spelling; the nearest key is offered.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    out.extend(problems(context, ProblemKind::UnknownKey, RULE.name));
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/labels from label
finds break keeper/labels: keeper/labels: there is no key `labels` here

given keeper/label.one = "A keeper"
finds nothing
"#;
