//! The table or view an entity shows is gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/table-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::TableDropped, ChangeKind::TableRenamed, ChangeKind::ViewBroken],
    elements: &[ElementKind::Page, ElementKind::Key, ElementKind::Version, ElementKind::Places, ElementKind::Form, ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table or view behind an entity is gone, has another name, or is a view that can't be read any more.",
    matters: "No page of the entity works: every statement is refused.",
    before: "an entity over table apiary",
    after: "the database has renamed apiary to yard",
    to_do: "Answer whether it was renamed; the merge then carries the entity over, or sets it aside.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::Entity, What::Table { table, broken }) = (&lost.used.why, &lost.what) {
            let fate = context.fate(table, None);
            let message = match broken {
                Some(reason) => format!("the view `{}` can't be read: {}", shown(table), shown(reason)),
                None => format!("{fate}: no page of `{}` works", lost.entity.name),
            };
            out.push(
                Finding::new(RULE.name, RULE.severity, message)
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .at(&lost.used.place)
                    .because(context.cause_of_loss(table, None)),
            );
        }
    }
}
