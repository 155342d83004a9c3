//! A value of another kind than its key takes, or a key that is missing.

use super::shared::problems;
use crate::definition::ProblemKind;
use crate::impact::{Context, Docs, Finding, Rule, Severity};

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

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/field.born_on.kind = "dat"
finds break keeper/field.born_on.kind: keeper/field/born_on/kind: "dat" is not one of: boolean, date, time, date-time, duration, json,

given keeper/page.list.fields = "phone"
finds break keeper/page.list.fields: keeper/page/list/fields: takes names in brackets, such as ["name"]

given keeper/field.phone.pattern = "(49"
finds break keeper/field.phone.pattern: keeper/field/phone/pattern: this regular expression can't be read: unclosed group

given keeper/field.born_on.kind = "text"
given keeper/field.phone.pattern = "[0-9 ]+"
finds nothing
"#;
