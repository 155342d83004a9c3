//! Records with texts longer than the form allows.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::TOO_LONG;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: TOO_LONG,
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged, ChangeKind::CheckAdded, ChangeKind::CheckDropped],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records have more characters in a field than its `max_length`.",
    matters: "Whoever edits such a record has to shorten it first; a narrower column cuts or refuses it.",
    before: "max_length = 24 for harvest.jar_label",
    after: "3 records have 30 characters",
    to_do: "Shorten the values, or allow more.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
counted 2
after visit.note: text(60)
finds risk keeper/field.last_name: 2 of 10 records have more than 60 characters in `last_name`
finds risk keeper/field.phone: 2 of 10 records have more than 20 characters in `phone`
finds risk region/field.code: 2 of 10 records have more than 8 characters in `code`
finds risk region/field.name: 2 of 10 records have more than 40 characters in `name`
finds risk visit/field.note: 2 of 10 records have more than 40 characters in `note`

counted 0
after visit.note: text(60)
finds nothing
"#;
