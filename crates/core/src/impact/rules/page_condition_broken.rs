//! A page's condition names something gone.

use super::{Docs, Rule, Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/condition-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
    ],
    elements: &[ElementKind::Condition],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A page's `where` names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The database refuses every statement of the page.",
    before: "where = \"closed_on IS NULL\"",
    after: "closed_on was dropped",
    to_do: "The merge carries the condition over a rename, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| {
        matches!(why, Why::PageCondition).then(|| Subject { what: "the condition".to_owned(), ..Subject::default() })
    });
}
