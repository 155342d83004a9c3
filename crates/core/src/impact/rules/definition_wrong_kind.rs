//! A value of another kind than its key takes, or a key that is missing.

use super::problems;
use super::{Docs, Rule};
use crate::definition::ProblemKind;
use crate::impact::{Context, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "definition/wrong-kind", severity: Severity::Break, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A value of another kind than its key takes, or a key that is missing.",
    matters: "The application can't do what the definition says.",
    before: "required = \"yes\"",
    after: "(nothing changed)",
    to_do: "Write what the key takes.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    out.extend(problems(context, ProblemKind::WrongKind, RULE.name));
}
