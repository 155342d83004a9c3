//! A child list's table or link is gone.

use super::shared::{Subject, refused_types, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Lost, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/child-link-missing",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::TypeChanged,
    ],
    elements: &[ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table of a child list, its key, or the column by which its records belong to the one shown is gone, or can't be compared any more.",
    matters: "The page that lists the children can't be read.",
    before: "children = [{ entity = \"hive\", by = \"apiary\" }]",
    after: "hive.apiary_id was dropped",
    to_do: "The merge carries a rename over; otherwise it sets the child list aside until the link returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let subject = |lost: &Lost<'_>| match &lost.used.why {
        Why::Child { entity, by } => Some(Subject::new(format!("the list of `{}` by `{}` can't be read", shown(entity), shown(by)))),
        _ => None,
    };
    out.extend(refused_types(context, &RULE, RULE.severity, subject));
    report_losses(context, &RULE, out, subject);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after drop visit.keeper_id
finds break keeper/page.detail.children[0].by: the list of `visit` by `keeper` can't be read: `visit.keeper_id` is gone

# Its type can't be compared with the key's any more.
after visit.keeper_id: json required
finds break keeper/page.detail.children[0].by: the list of `visit` by `keeper` can't be read: json has no order

# SQLite compares anything.
on sqlite
after visit.keeper_id: json required
finds nothing

after drop visit.note
finds nothing
"#;
