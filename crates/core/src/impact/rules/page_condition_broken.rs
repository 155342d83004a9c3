//! A page's condition names something gone.

use super::{Docs, Rule};
use super::{condition_broken, inside};
use crate::impact::{Context, Finding, Severity, What};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "page/condition-broken", severity: Severity::Break, docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A page's `where` names a column or table that the changed schema doesn't have.",
    matters: "The database refuses every statement of the page.",
    before: "where = \"closed_on IS NULL\"",
    after: "closed_on was dropped",
    to_do: "The merge carries the condition over a rename, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::PageCondition, What::Condition { name, table, is_table, offset }) = (&lost.used.why, &lost.what) {
            let (message, because) = condition_broken(context, &lost.used, "the condition", name, table.as_deref(), *is_table);
            out.push(
                Finding::new(RULE.name, RULE.severity, message)
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .at(&inside(&lost.used, *offset))
                    .because(because),
            );
        }
    }
}
