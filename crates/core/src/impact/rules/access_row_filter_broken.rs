//! A role's row filter names something gone.

use super::{Docs, Rule};
use super::{condition_broken, inside};
use crate::impact::{Context, Finding, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "access/row-filter-broken", severity: Severity::Break, docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "The `rows` of a role names a column or table that the changed schema doesn't have.",
    matters: "The role's pages fail; dropping the filter instead would show the role everything.",
    before: "rows = \"keeper_id = :user_keeper\"",
    after: "keeper_id was dropped",
    to_do: "The merge carries the filter over a rename; otherwise the role sees no record at all (`1 = 0`) until a person decides.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::Rows { role }, What::Condition { name, table, is_table, offset }) = (&lost.used.why, &lost.what) {
            let (message, because) = condition_broken(
                context,
                &lost.used,
                &format!("the row filter of role `{}`", shown(role)),
                name,
                table.as_deref(),
                *is_table,
            );
            out.push(
                Finding::new(RULE.name, RULE.severity, message)
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .role(role)
                    .at(&inside(&lost.used, *offset))
                    .because(because),
            );
        }
    }
}
