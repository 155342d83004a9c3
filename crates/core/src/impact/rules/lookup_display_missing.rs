//! What a lookup shows is gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/display-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Lookup, ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The template a lookup shows (its `show`, or the target's title) or its order names a field whose column or table is gone.",
    matters: "The shown text can't be read: lists and forms with the lookup fail.",
    before: "lookup = { entity = \"keeper\", show = \"{last_name}\" }",
    after: "keeper.last_name is called surname",
    to_do: "After a rename the merge carries it over; otherwise the draft's text takes its place.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        let Why::Display { field, named } = &lost.used.why else { continue };
        let (table, column) = match &lost.what {
            What::Column { table, column } => (table, Some(column.as_str())),
            What::Table { table, .. } => (table, None),
            _ => continue,
        };
        out.push(
            Finding::new(
                RULE.name,
                RULE.severity,
                format!("lookup `{}` shows {{{}}}: {}", shown(field), shown(named), context.fate(table, column)),
            )
            .entity(&lost.entity.name)
            .pages(lost.pages.clone())
            .field(field)
            .at(&lost.used.place)
            .because(context.cause_of_loss(table, column)),
        );
    }
}
