//! The table or view an entity shows is gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
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
    report_losses(context, &RULE, out, |lost| {
        let is_own = matches!((&lost.used.why, &lost.what), (Why::Entity, What::Table { .. }));
        is_own.then(|| Subject::new(format!("no page of `{}` works", shown(&lost.entity.name))))
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A new name is as good as gone for the pages.
after keeper -> member
finds break keeper/table: no page of `keeper` works: `keeper` is `member` now

# The view can't be read any more.
after grown_up broken no such column: age
finds break grown_up/table: no page of `grown_up` works: `grown_up` can't be read: no such column: age

after drop visit
finds break visit/table: no page of `visit` works: `visit` is gone

after keeper.phone -> mobile
finds nothing
"#;
