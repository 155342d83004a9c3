//! The form insists on a value that the database doesn't need.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/optional-now",
    severity: Severity::Note,
    changes: &[ChangeKind::BecameOptional, ChangeKind::DomainChanged, ChangeKind::DefaultChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column may be NULL now, or has a default that stands in for a value, and its field is `required`.",
    matters: "Nothing fails; people have to type what they may not know.",
    before: "required = true for hive.colour",
    after: "the column may be NULL now",
    to_do: "The merge lets the field be empty where nobody decided otherwise.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        if met.before.must_be_given() && !met.after.must_be_given() && met.field.required {
            let message = format!("`{}` has to be filled in, though the database no longer needs it", met.name());
            out.push(of_field(&RULE, RULE.severity, &met, context.forms(met.entity, met.field), message).settled_by(&["required"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.last_name: text(60)
finds note keeper/field.last_name: `last_name` has to be filled in, though the database no longer needs it

after keeper.last_name: text(60) required default 'none'
finds note keeper/field.last_name: `last_name` has to be filled in, though the database no longer needs it

given keeper/field.last_name.required gone
after keeper.last_name: text(60)
finds nothing
"#;
