//! A child list's table or link is gone.

use super::{Docs, Missing, Rule, missing};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity, What};
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
    for lost in context.lost() {
        let (What::WrongType { table, column, operation, .. }, Why::Child { entity, by }) = (&lost.what, &lost.used.why) else { continue };
        let message = format!("the list of `{}` by `{}` can't be read: {}", shown(entity), shown(by), shown(operation));
        let cause = (context.cause_of_type(table, column), Remedy::Hand);
        let finding = Finding::new(RULE.name, RULE.severity, message).entity(&lost.entity.name).pages(lost.pages.clone());
        out.push(finding.at(&lost.used.place).because(cause));
    }
    missing(context, &RULE, out, |lost, fate| match &lost.used.why {
        Why::Child { entity, by } => Some(Missing::new(format!("the list of `{}` by `{}`: {fate}", shown(entity), shown(by)))),
        _ => None,
    });
}
