//! A choice that the database no longer accepts.

use super::shared::listed;
use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::MetLimits;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/choice-gone",
    severity: Severity::Risk,
    changes: &[
        ChangeKind::EnumChanged,
        ChangeKind::DomainChanged,
        ChangeKind::CheckAdded,
        ChangeKind::CheckDropped,
        ChangeKind::TypeChanged,
    ],
    elements: &[ElementKind::Lookup, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field offers a value that a changed type or constraint refuses; a break where a form that needs a value has none left to offer.",
    matters: "Whoever chooses it can't save; records that have it may be refused with the next edit.",
    before: "choices = [\"langstroth\", \"top-bar\", \"skep\"]",
    after: "the constraint on hive.hive_type lost 'skep'",
    to_do: "The merge takes the choice out where nobody wrote the list, and asks where somebody did.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for MetLimits { met, before, after } in context.met_limits() {
        if after.values.is_empty() {
            continue;
        }
        let offered: Vec<&str> = met.field.choices.iter().map(|c| c.value.value.as_str()).collect();
        let accepted = |value: &&str| after.values.iter().any(|v| v == value);
        // What it never accepted isn't gone.
        let was = |value: &&str| before.values.is_empty() || before.values.iter().any(|v| v == value);
        let gone: Vec<&str> = offered.iter().copied().filter(|v| was(v) && !accepted(v)).collect();
        if gone.is_empty() {
            continue;
        }
        let forms = context.forms(met.entity, met.field);
        let none_left = !offered.iter().any(accepted);
        let severity = if none_left && met.field.required && !forms.is_empty() { Severity::Break } else { RULE.severity };
        let message = format!(
            "`{}` offers {}, which the database refuses now{}",
            met.name(),
            listed(&gone),
            if none_left { ": no choice is left" } else { "" }
        );
        out.push(of_field(&RULE, severity, met, forms, message).settled_by(&["choices"]));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + check phone IN ('a', 'b')
after keeper - check phone IN ('a', 'b')
after keeper + check phone IN ('a', 'c')
finds risk keeper/field.phone: `phone` offers 'b', which the database refuses now

# No choice is left that could be saved.
before keeper + check phone IN ('a', 'b')
given keeper/field.phone.required = true
after keeper - check phone IN ('a', 'b')
after keeper + check phone IN ('c')
finds break keeper/field.phone: `phone` offers 'a', 'b', which the database refuses now: no choice is left

before keeper + check phone IN ('a', 'b')
after keeper - check phone IN ('a', 'b')
after keeper + check phone IN ('a', 'b', 'c')
finds nothing

# A member of a set.
on mariadb
before keeper + moods set('a','b')
after keeper.moods: set('a')
finds risk keeper/field.moods: `moods` offers 'b', which the database refuses now
"#;
