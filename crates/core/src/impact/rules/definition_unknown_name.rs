//! An entity, field, page, role or parameter that doesn't exist.

use super::problems;
use super::{Docs, Rule};
use crate::definition::ProblemKind;
use crate::impact::{Context, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "definition/unknown-name", severity: Severity::Break, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "An entity, field, page, role or parameter that doesn't exist.",
    matters: "The application can't do what the definition says.",
    before: "fields = [\"nmae\"]",
    after: "(nothing changed)",
    to_do: "Correct the name; the nearest is offered.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    out.extend(problems(context, ProblemKind::UnknownName, RULE.name));
}
