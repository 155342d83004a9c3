//! The column a lookup points at is gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
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
    for lost in context.lost() {
        if let (Why::LookupValue { field }, What::Column { table, column }) = (&lost.used.why, &lost.what) {
            out.push(
                Finding::new(
                    RULE.name,
                    RULE.severity,
                    format!("lookup `{}` compares with a column that is missing: {}", shown(field), context.fate(table, Some(column))),
                )
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .field(field)
                .at(&lost.used.place)
                .because(context.cause_of_loss(table, Some(column))),
            );
        }
    }
}
