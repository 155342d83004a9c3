//! An export writes a field that is gone.

use super::{Docs, Missing, Rule, Subject, missing, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::{Need, Why};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/export-broken",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that an export writes has lost its column, or what it shows; or the entity's table, key or query is gone.",
    matters: "The export can't be made.",
    before: "fields = [\"name\", \"postcode\"]",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries renames over; otherwise it sets the field aside from the export until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| match (&lost.used.why, &lost.used.need) {
        (_, Need::Statement { .. } | Need::Condition { .. }) => None,
        (Why::Export { export, field: Some(field) }, _) => {
            Some(Missing::of(field, format!("the export `{}` writes `{}`: {fate}", shown(export), shown(field))))
        }
        (Why::Export { export, field: None }, _) => Some(Missing::new(format!("the export `{}` can't be made: {fate}", shown(export)))),
        _ => None,
    });
    report_conditions(context, &RULE, out, |why| match why {
        Why::Export { export, field } => {
            Some(Subject { what: format!("the export `{}`", shown(export)), field: field.clone(), role: None })
        }
        _ => None,
    });
}
