//! Records with a value that isn't of the field's kind.

use super::{Docs, Rule, report_counts};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "data/does-not-convert",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: a field for numbers or dates has values that are neither, since the column holds texts or the engine doesn't look.",
    matters: "They are shown as they are, sorted wrongly, left out of totals, and refused when saved.",
    before: "kind = \"number\" over a text column",
    after: "7 records say 'none'",
    to_do: "Mend the values, or take another kind.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}
