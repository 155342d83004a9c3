//! A lookup's condition names something gone.

use super::{Docs, Rule, Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/condition-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
    ],
    elements: &[ElementKind::Condition, ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The `where` of a lookup names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The choices can't be read: the form doesn't open.",
    before: "lookup = { entity = \"region\", where = \"active = 1\" }",
    after: "region.active was dropped",
    to_do: "The merge carries the condition over a rename, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::LookupCondition { field } => {
            Some(Subject { what: format!("the condition of lookup `{}`", shown(field)), field: Some(field.clone()), role: None })
        }
        _ => None,
    });
}
