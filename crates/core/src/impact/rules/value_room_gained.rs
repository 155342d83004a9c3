//! The database has room for longer texts than the form.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::impact::{Docs, MetLimits, Rule};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/room-gained",
    severity: Severity::Note,
    changes: &[ChangeKind::TypeChanged, ChangeKind::CheckAdded, ChangeKind::CheckDropped, ChangeKind::DomainChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column's type or constraint allows more characters than before, and its field's `max_length` is the old limit.",
    matters: "Nothing fails; people are kept shorter than they need be.",
    before: "max_length = 80 for keeper.email",
    after: "the column became varchar(120)",
    to_do: "The merge raises the limit where nobody set it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for MetLimits { met, before, after } in context.met_limits() {
        let gained = before.longest.is_some_and(|before| after.longest.is_none_or(|now| now > before));
        if gained && before.longest == met.field.max_length {
            let room = after.longest.map_or_else(|| "any length".to_owned(), |n| format!("{n} characters"));
            let message = format!("`{}` has room for {room} now; the form allows {}", met.name(), met.field.max_length.unwrap_or_default());
            out.push(of_field(&RULE, RULE.severity, met, context.forms(met.entity, met.field), message).settled_by(&["max_length"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: text(30)
finds note keeper/field.phone: `phone` has room for 30 characters now; the form allows 20

given keeper/field.phone.max_length = 9
after keeper.phone: text(30)
finds nothing
"#;
