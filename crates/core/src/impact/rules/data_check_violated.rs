//! Records that break a rule of a form.

use super::{Docs, Rule, report_counts};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "data/check-violated",
    severity: Severity::Risk,
    changes: &[ChangeKind::CheckDropped, ChangeKind::CheckAdded, ChangeKind::TypeChanged],
    elements: &[ElementKind::Condition, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records are out of a field's `min` and `max`, or break a `[check]` rule.",
    matters: "Whoever edits such a record can't save it.",
    before: "rule = \"closed_on >= opened_on\"",
    after: "2 yards closed before they opened",
    to_do: "Mend the values, or the rule.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}
