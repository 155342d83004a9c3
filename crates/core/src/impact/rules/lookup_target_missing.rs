//! What a lookup points at is gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
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
    for lost in context.lost() {
        if let (Why::LookupTarget { field }, What::Table { table, .. }) = (&lost.used.why, &lost.what) {
            out.push(
                Finding::new(
                    RULE.name,
                    RULE.severity,
                    format!("lookup `{}` points at nothing: {}", shown(field), context.fate(table, None)),
                )
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .field(field)
                .at(&lost.used.place)
                .because(context.cause_of_loss(table, None)),
            );
        }
    }
}
