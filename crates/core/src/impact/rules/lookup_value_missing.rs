//! The column a lookup points at is gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/value-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column of the target that a lookup's value is compared with is gone.",
    matters: "Neither the shown text nor the choices can be read.",
    before: "lookup = { entity = \"region\", value = [\"code\"] }",
    after: "region.code was dropped",
    to_do: "After a rename the merge carries it over; otherwise the lookup becomes what the draft says.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::LookupValue { field }, What::Column { .. }) => {
            Some(Subject::new(format!("lookup `{}` compares with a column that is missing", shown(field))).of_field(field))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after region.code -> short
finds break keeper/field.region_code.lookup.value[0]: lookup `region_code` compares with a column that is missing: `region.code` is `short` now

after region.name -> title
finds nothing
"#;
