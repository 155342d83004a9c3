//! Records without a value that a form insists on.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::NULL_IN_REQUIRED;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: NULL_IN_REQUIRED,
    severity: Severity::Risk,
    changes: &[ChangeKind::BecameOptional, ChangeKind::ColumnAdded],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records have no value in a field that is `required`, whose column may be NULL.",
    matters: "Whoever edits such a record can't save before making up a value.",
    before: "required = true for keeper.email",
    after: "12 records have none",
    to_do: "Fill in the values, or let the field be empty.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/field.phone.required = true
counted 2
after visit.note: text(60)
finds risk keeper/field.phone: 2 of 10 records have no value in `phone`, which has to have one

given keeper/field.phone.required = true
counted 0
after visit.note: text(60)
finds nothing
"#;
