//! A child list's table or link is gone.

use super::{Docs, Missing, Rule, missing};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/child-link-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table of a child list, its key, or the column by which its records belong to the one shown is gone.",
    matters: "The page that lists the children can't be read.",
    before: "children = [{ entity = \"hive\", by = \"apiary\" }]",
    after: "hive.apiary_id was dropped",
    to_do: "The merge carries a rename over; otherwise it sets the child list aside until the link returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| match &lost.used.why {
        Why::Child { entity, by } => Some(Missing::new(format!("the list of `{}` by `{}`: {fate}", shown(entity), shown(by)))),
        _ => None,
    });
}
