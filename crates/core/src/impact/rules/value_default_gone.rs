//! A new record starts without a value.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
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

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper.phone: text(20) default '1'
after keeper.phone: text(20)
finds note keeper/field.phone: `phone` no longer starts with '1'

before keeper.phone: text(20) default '1'
after keeper.phone: text(20) default '2'
finds nothing
"#;
