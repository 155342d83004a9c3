//! A member of a list that is there twice.

use super::shared::problems;
use crate::definition::ProblemKind;
use crate::impact::{Context, Docs, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "definition/duplicate", severity: Severity::Break, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A field, section, choice, menu item or other member that its list has twice.",
    matters: "What is said of one of them can't be told from what is said of the other: no merge could keep both.",
    before: "fields = [\"name\", \"place\", \"name\"]",
    after: "(nothing changed)",
    to_do: "Take one of them out.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    out.extend(problems(context, ProblemKind::Duplicate, RULE.name));
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/access.guest.hide = ["phone", "phone"]
finds break keeper/access.guest.hide[1]: keeper/access/guest/hide/phone: "phone" is there twice

given keeper/access.guest.hide = ["phone", "age"]
finds nothing
"#;
