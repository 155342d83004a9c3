//! The database insists on a value that the form lets be empty.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

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

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: text(20) required
finds risk keeper/field.phone: `phone` may be left empty on the form, but the database insists on a value now

# The definition insists on it already.
given keeper/field.phone.required = true
after keeper.phone: text(20) required
finds nothing
"#;
