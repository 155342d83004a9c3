//! The join table of a related set, or its columns, are gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/join-broken",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Related],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A related set goes through a table that is gone, lost a column of the link, or takes no links any more.",
    matters: "Linked records can be neither read nor changed.",
    before: "related = { entity = \"keeper\", through = \"apiary_helper\", … }",
    after: "apiary_helper was dropped",
    to_do: "The merge carries renames over; otherwise it sets the field aside until the join table returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match &lost.used.why {
        Why::Join { field } | Why::Link { field } => {
            Some(Subject::new(format!("the links of `{}` can't be read", shown(field))).of_field(field))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after drop region_helper
finds break keeper/field.regions.related.through: the links of `regions` can't be read: `region_helper` is gone
finds break region/field.helpers.related.through: the links of `helpers` can't be read: `region_helper` is gone

after region_helper + since date
finds nothing
"#;
