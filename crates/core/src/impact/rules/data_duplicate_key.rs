//! Records that share what tells them apart.

use super::{Docs, Rule, report_counts};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "data/duplicate-key",
    severity: Severity::Risk,
    changes: &[ChangeKind::UniqueDropped, ChangeKind::PrimaryKeyChanged],
    elements: &[ElementKind::Key, ElementKind::Lookup, ElementKind::Exchange, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records share their key, a `unique` field, the value of lookups or the key of an import, where the database doesn't keep them unique.",
    matters: "One page reaches several records; lists show one twice.",
    before: "key = [\"member_no\"]",
    after: "two keepers share a number",
    to_do: "Mend the values, then have the constraint put back.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}
