//! A table or column that the accepted schema doesn't have.

use super::shared::problems;
use crate::definition::ProblemKind;
use crate::impact::{Context, Docs, Finding, Rule, Severity};

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

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/field.born_on.column = "burned_on"
finds break keeper/field.born_on.column: keeper/field/born_on/column: `keeper` has no column `burned_on`

# SQLite doesn't tell cases apart.
on sqlite
given keeper/field.born_on.column = "BORN_ON"
finds nothing
"#;
