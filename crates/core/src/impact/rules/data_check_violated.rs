//! Records that break a rule of a form.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::CHECK_VIOLATED;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: CHECK_VIOLATED,
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

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/check.old_enough = { rule = "age IS NULL OR age > 5" }
counted 2
after visit.note: text(60)
finds risk keeper/check.old_enough: 2 of 10 records break the rule `old_enough`

counted 2
after visit.note: text(60)
finds nothing
"#;
