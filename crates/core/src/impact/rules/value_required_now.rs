//! The database insists on a value that the form lets be empty.

use super::{Docs, Rule, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/required-now",
    severity: Severity::Risk,
    changes: &[ChangeKind::BecameRequired, ChangeKind::DomainChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column became NOT NULL and its field is not `required`.",
    matters: "Forms accept an empty value and the database refuses it: an error page instead of a hint beside the field.",
    before: "required isn't set for inspection.varroa_count",
    after: "the column became NOT NULL",
    to_do: "The merge makes the field required where nobody decided otherwise.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let forms = context.forms(met.entity, met.field);
        if !met.before.needs_value() && met.after.needs_value() && !met.field.required && !forms.is_empty() {
            let message = format!("`{}` may be left empty on the form, but the database insists on a value now", met.name());
            out.push(of_field(&RULE, RULE.severity, &met, forms, message).settled_by(&["required"]));
        }
    }
}
