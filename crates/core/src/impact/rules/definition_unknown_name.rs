//! An entity, field, page, role or parameter that doesn't exist.

use super::shared::problems;
use crate::definition::ProblemKind;
use crate::impact::{Context, Docs, Finding, Rule, Severity};

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

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/access.guest.hide = ["fone"]
finds break keeper/access.guest.hide[0]: keeper/access/guest/hide/fone: `keeper` has no field `fone`

# Who is using it, which every application knows.
given keeper/access.guest.rows = "last_name <> :user_name"
finds nothing
"#;
