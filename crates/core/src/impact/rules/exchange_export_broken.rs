//! An export writes a field that is gone.

use super::{Docs, Missing, Rule, missing};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;
use crate::statements::Why;

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
    detects: "A field that an export writes has lost its column, or what it shows.",
    matters: "The export can't be made.",
    before: "fields = [\"name\", \"postcode\"]",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries renames over; otherwise it sets the field aside from the export until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    missing(context, &RULE, out, |lost, fate| match &lost.used.why {
        Why::Export { export, field } => {
            Some(Missing::of(field, format!("the export `{}` writes `{}`: {fate}", shown(export), shown(field))))
        }
        _ => None,
    });
}
