//! Records with texts longer than the form allows.

use super::{Docs, Rule, report_counts};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "data/too-long",
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
