//! A role's row filter names something gone.

use super::{Docs, Rule, Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/row-filter-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
    ],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The `rows` of a role names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The role's pages fail; dropping the filter instead would show the role everything.",
    before: "rows = \"keeper_id = :user_keeper\"",
    after: "keeper_id was dropped",
    to_do: "The merge carries the filter over a rename; otherwise the role sees no record at all (`1 = 0`) until a person decides.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::Rows { role } => {
            Some(Subject { what: format!("the row filter of role `{}`", shown(role)), field: None, role: Some(role.clone()) })
        }
        _ => None,
    });
}
