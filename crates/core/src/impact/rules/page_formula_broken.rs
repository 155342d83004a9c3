//! A formula names something gone.

use super::{Docs, Rule, Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/formula-broken",
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
    detects: "The formula of a field that is shown, listed with a parent, named in a title or exported names a column or table that the changed schema doesn't have.",
    matters: "The database refuses the page's statement.",
    before: "formula = \"julianday('now') - julianday(opened_on)\"",
    after: "opened_on was dropped",
    to_do: "The merge carries the formula over a rename, or sets the field aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| {
        let of = |what: String, field: Option<&str>| Some(Subject { what, field: field.map(str::to_owned), ..Subject::default() });
        match why {
            Why::Formula { field } => of(format!("the formula of `{}`", crate::name::shown(field)), Some(field)),
            Why::ChildField { entity, field } => {
                of(format!("the formula of `{}.{}`", crate::name::shown(entity), crate::name::shown(field)), None)
            }
            Why::Title { .. } => of("a formula in the title".to_owned(), None),
            Why::Display { field, .. } => of(format!("a formula shown by `{}`", crate::name::shown(field)), Some(field)),
            _ => None,
        }
    });
}
