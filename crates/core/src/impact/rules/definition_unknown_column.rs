//! A table or column that the accepted schema doesn't have.

use super::problems;
use super::{Docs, Rule};
use crate::definition::ProblemKind;
use crate::impact::{Context, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule =
    Rule { name: "definition/unknown-column", severity: Severity::Break, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A table or column that the accepted schema doesn't have.",
    matters: "The application can't do what the definition says.",
    before: "column = \"pots_code\"",
    after: "(nothing changed)",
    to_do: "Correct the name; the nearest is offered.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    out.extend(problems(context, ProblemKind::UnknownColumn, RULE.name));
}
