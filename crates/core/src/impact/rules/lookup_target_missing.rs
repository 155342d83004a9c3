//! What a lookup points at is gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/target-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::TableDropped, ChangeKind::TableRenamed, ChangeKind::ViewBroken],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table of the entity that a lookup points at is gone.",
    matters: "Neither the shown text nor the choices can be read.",
    before: "lookup = { entity = \"remedy\" }",
    after: "table remedy is called medicine",
    to_do: "After a rename the merge carries it over; when the table was dropped, the lookup becomes a plain field until it returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::LookupTarget { field }, What::Table { .. }) => {
            Some(Subject::new(format!("lookup `{}` points at nothing", shown(field))).of_field(field))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after region -> area
finds break keeper/field.region_code.lookup.entity: lookup `region_code` points at nothing: `region` is `area` now
finds break keeper/field.regions.related.entity: lookup `regions` points at nothing: `region` is `area` now

after region.name -> title
finds nothing
"#;
