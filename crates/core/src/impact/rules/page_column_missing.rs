//! A field used on a page has no column any more.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/column-missing",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::ViewChanged,
    ],
    elements: &[ElementKind::Page, ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that a page shows, searches, filters, sorts or saves has lost its column. Told once a page, with every place.",
    matters: "The database refuses the page's statement.",
    before: "the list of keepers shows and searches postcode",
    after: "keeper.postcode is called postal_code",
    to_do: "Answer whether it was renamed; the merge carries the field over, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::ChildField { entity, field }, What::Column { table, .. } | What::Table { table, .. }) = (&lost.used.why, &lost.what) {
            let column = match &lost.what {
                What::Column { column, .. } => Some(column.as_str()),
                _ => None,
            };
            let message = format!("`{}` in the list of `{}`: {}", shown(field), shown(entity), context.fate(table, column));
            let mut finding = Finding::new(RULE.name, RULE.severity, message)
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .at(&lost.used.place)
                .because(context.cause_of_loss(table, column));
            finding.places = vec!["child list".to_owned()];
            out.push(finding);
        }
        if let (Why::Field { field, .. }, What::Column { table, column }) = (&lost.used.why, &lost.what) {
            let mut places: Vec<&str> = lost
                .uses
                .iter()
                .filter_map(|u| match &u.why {
                    Why::Field { spot, .. } => Some(spot.word()),
                    _ => None,
                })
                .collect();
            places.dedup();
            let mut finding =
                Finding::new(RULE.name, RULE.severity, format!("field `{}`: {}", shown(field), context.fate(table, Some(column))))
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .field(field)
                    .at(&lost.used.place)
                    .because(context.cause_of_loss(table, Some(column)));
            finding.places = places.into_iter().map(str::to_owned).collect();
            out.push(finding);
        }
    }
}
