//! A key that the format doesn't have.

use super::problems;
use super::{Docs, Rule};
use crate::definition::ProblemKind;
use crate::impact::{Context, Finding, Severity};

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
