//! Records with a value that is no choice.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::CHOICE_UNKNOWN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: CHOICE_UNKNOWN,
    severity: Severity::Risk,
    changes: &[ChangeKind::EnumChanged, ChangeKind::CheckAdded, ChangeKind::CheckDropped],
    elements: &[ElementKind::Lookup, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records have a value in a field with `choices` that isn't among them.",
    matters: "It is shown without a readable label, and lost when somebody saves the form.",
    before: "choices \"log\" and \"skep\" for hive.hive_type",
    after: "4 records have 'warre'",
    to_do: "Add the choice, or fix the values.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/field.phone.kind = "choice"
given keeper/field.phone.choices = [{ value = "a" }, { value = "b" }]
counted 2
after visit.note: text(60)
finds risk keeper/field.phone: 2 of 10 records have a value in `phone` that is no choice

counted 2
after visit.note: text(60)
finds nothing
"#;
