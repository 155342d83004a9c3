//! The database insists on a value that the form lets be empty.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/required-now",
    severity: Severity::Risk,
    changes: &[ChangeKind::BecameRequired, ChangeKind::DomainChanged, ChangeKind::DefaultChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column became NOT NULL without a default, or lost the default that stood in for a value, and its field is not `required`.",
    matters: "Forms accept an empty value and the database refuses it: an error page instead of a hint beside the field.",
    before: "required isn't set for inspection.varroa_count",
    after: "the column became NOT NULL",
    to_do: "The merge makes the field required where nobody decided otherwise.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let forms = context.forms(met.entity, met.field);
        if !met.before.must_be_given() && met.after.must_be_given() && !met.field.required && !forms.is_empty() {
            let message = format!("`{}` may be left empty on the form, but the database insists on a value now", met.name());
            out.push(of_field(&RULE, RULE.severity, &met, forms, message).settled_by(&["required"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: text(20) required
finds risk keeper/field.phone: `phone` may be left empty on the form, but the database insists on a value now

before keeper + colour text required default ''
after keeper.colour: text required
finds risk keeper/field.colour: `colour` may be left empty on the form, but the database insists on a value now

# The default stands in for what nobody gives.
after keeper.phone: text(20) required default ''
finds nothing

# The definition insists on it already.
given keeper/field.phone.required = true
after keeper.phone: text(20) required
finds nothing
"#;
