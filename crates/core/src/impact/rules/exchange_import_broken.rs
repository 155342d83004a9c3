//! An import maps a field that is gone, or can't be matched or written.

use super::{Docs, Missing, Rule, Subject, missing, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::{Need, Why};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/import-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::GeneratedChanged,
        ChangeKind::TableKindChanged,
    ],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column that an import matches by, writes or looks up is gone, or the entity's table, key or query; or the database no longer takes what it writes.",
    matters: "The import fails at its first line.",
    before: "columns = { \"Postcode\" = \"postcode\" }",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries renames over; otherwise it sets the mapped heading aside, or the whole import where what it matches by is gone.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| match (&lost.used.why, &lost.used.need) {
        (_, Need::Statement { .. } | Need::Condition { .. }) => None,
        (Why::Import { import, field }, _) => {
            let message = format!("the import `{}`: {fate}", shown(import));
            Some(field.as_ref().map_or_else(|| Missing::new(message.clone()), |field| Missing::of(field, message.clone())))
        }
        _ => None,
    });
    report_conditions(context, &RULE, out, |why| match why {
        Why::Import { import, field } => {
            Some(Subject { what: format!("the import `{}`", shown(import)), field: field.clone(), role: None })
        }
        _ => None,
    });
}
