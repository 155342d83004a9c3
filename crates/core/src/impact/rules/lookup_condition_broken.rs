//! A lookup's condition names something gone.

use super::{Docs, Rule};
use super::{condition_broken, inside};
use crate::impact::{Context, Finding, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "lookup/condition-broken", severity: Severity::Break, docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "The `where` of a lookup names a column or table that the changed schema doesn't have.",
    matters: "The choices can't be read: the form doesn't open.",
    before: "lookup = { entity = \"region\", where = \"active = 1\" }",
    after: "region.active was dropped",
    to_do: "The merge carries the condition over a rename, or sets it aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::LookupCondition { field }, What::Condition { name, table, is_table, offset }) = (&lost.used.why, &lost.what) {
            let (message, because) = condition_broken(
                context,
                &lost.used,
                &format!("the condition of lookup `{}`", shown(field)),
                name,
                table.as_deref(),
                *is_table,
            );
            out.push(
                Finding::new(RULE.name, RULE.severity, message)
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .field(field)
                    .at(&inside(&lost.used, *offset))
                    .because(because),
            );
        }
    }
}
