//! Records with a value that isn't of the field's kind.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::DOES_NOT_CONVERT;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: DOES_NOT_CONVERT,
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: a field for numbers, dates or yes and no has other values, since the column can hold them or the engine doesn't look.",
    matters: "They are shown as they are, sorted wrongly, left out of totals, and refused when saved.",
    before: "kind = \"number\" over a text column",
    after: "7 records say 'none'",
    to_do: "Mend the values, or take another kind.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
on sqlite
counted 2
after visit.note: text(60)
finds risk keeper/field.id: 2 of 10 records have a value in `id` that is no number
finds risk keeper/field.born_on: 2 of 10 records have a value in `born_on` that is no date
finds risk keeper/field.age: 2 of 10 records have a value in `age` that is no number
finds risk region/field.id: 2 of 10 records have a value in `id` that is no number
finds risk region/field.active: 2 of 10 records have a value in `active` that is no boolean
finds risk visit/field.id: 2 of 10 records have a value in `id` that is no number
finds risk visit/field.day: 2 of 10 records have a value in `day` that is no date

# The database refuses what is no number.
counted 2
after visit.note: text(60)
finds nothing
"#;
