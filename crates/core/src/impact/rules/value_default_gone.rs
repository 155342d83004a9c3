//! A new record starts without a value.

use super::{Docs, Rule, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/default-gone",
    severity: Severity::Note,
    changes: &[ChangeKind::DefaultChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column lost its default. Where the column also has to have a value and no form gives one, page/required-column-absent tells the break.",
    matters: "Records added without it are empty from now on.",
    before: "hive.colour defaults to 'white'",
    after: "the default was dropped",
    to_do: "Put the field on the add page, or give it a `default`.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        if let (Some(before), None) = (&met.change.before, &met.change.after) {
            let message = format!("`{}` no longer starts with {}", met.name(), shown(before));
            out.push(of_field(&RULE, RULE.severity, &met, context.forms(met.entity, met.field), message).settled_by(&["default"]));
        }
    }
}
