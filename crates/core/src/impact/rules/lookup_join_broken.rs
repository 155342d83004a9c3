//! The join table of a related set, or its columns, are gone.

use super::{Docs, Missing, Rule, missing};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/join-broken",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Related],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A related set goes through a table that is gone, lost a column of the link, or takes no links any more.",
    matters: "Linked records can be neither read nor changed.",
    before: "related = { entity = \"keeper\", through = \"apiary_helper\", … }",
    after: "apiary_helper was dropped",
    to_do: "The merge carries renames over; otherwise it sets the field aside until the join table returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| match &lost.used.why {
        Why::Join { field } | Why::Link { field } => Some(Missing::of(field, format!("the links of `{}`: {fate}", shown(field)))),
        _ => None,
    });
}
