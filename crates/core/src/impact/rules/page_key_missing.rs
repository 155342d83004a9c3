//! The columns that tell records apart are gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/key-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Key],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column of the entity's key is gone.",
    matters: "No record can be opened, changed or deleted: every page reads the key.",
    before: "key = [\"id\"]",
    after: "the column id was dropped",
    to_do: "After a rename the merge carries the key over; otherwise it takes the key the draft would use, to be checked by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::Key, What::Column { table, column }) = (&lost.used.why, &lost.what) {
            out.push(
                Finding::new(
                    RULE.name,
                    RULE.severity,
                    format!("the key names a column that is missing: {}", context.fate(table, Some(column))),
                )
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .at(&lost.used.place)
                .because(context.cause_of_loss(table, Some(column))),
            );
        }
    }
}
