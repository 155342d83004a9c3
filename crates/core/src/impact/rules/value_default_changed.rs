//! A new record starts with another value.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/default-changed",
    severity: Severity::Note,
    changes: &[ChangeKind::DefaultChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column's default changed or came.",
    matters: "A form that starts with the old default writes the old one; one without the field gets the new.",
    before: "hive.colour defaults to 'white'",
    after: "it defaults to 'yellow' now",
    to_do: "The merge takes over the default where nobody set it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        if let Some(after) = &met.change.after
            && !met.after.written_by_database()
        {
            let message = match &met.change.before {
                Some(before) => format!("`{}` starts with {} where it started with {}", met.name(), shown(after), shown(before)),
                None => format!("`{}` starts with {} where nothing is given", met.name(), shown(after)),
            };
            out.push(of_field(&RULE, RULE.severity, &met, context.forms(met.entity, met.field), message).settled_by(&["default"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper.phone: text(20) default '1'
after keeper.phone: text(20) default '2'
finds note keeper/field.phone: `phone` starts with '2' where it started with '1'

before keeper.phone: text(20) default '1'
after keeper.phone: text(20)
finds nothing
"#;
