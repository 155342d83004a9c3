//! Records that point at nothing.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::ORPHAN_ROWS;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: ORPHAN_ROWS,
    severity: Severity::Risk,
    changes: &[ChangeKind::ForeignKeyDropped, ChangeKind::ForeignKeyAdded, ChangeKind::TypeChanged],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: values of a lookup have no record of the other entity, and no foreign key keeps them to it.",
    matters: "Lookups show nothing; a foreign key can't be put back.",
    before: "inspection.inspector_id without its foreign key",
    after: "5 records point at keepers that aren't there",
    to_do: "Mend the values, then have the foreign key put back.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
on sqlite
counted 2
after visit.note: text(60)
finds risk keeper/field.region_code: 2 of 10 records point with `region_code` at no `region`
finds risk visit/field.keeper: 2 of 10 records point with `keeper` at no `keeper`

# The database sees to it.
counted 2
after visit.note: text(60)
finds nothing
"#;
