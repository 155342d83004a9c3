//! The column that tells whether a record was changed meanwhile is gone.

use super::{Docs, Missing, Rule, missing};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/version-column-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Version],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The entity's `version` names a column that the changed schema doesn't have.",
    matters: "Forms can neither read nor save a record.",
    before: "version = \"row_version\"",
    after: "hive.row_version was dropped",
    to_do: "The merge carries a rename over; otherwise it sets `version` aside until the column returns, and two people can overwrite each other.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| (lost.used.why == Why::Version).then(|| Missing::new(format!("the version column: {fate}"))));
}
