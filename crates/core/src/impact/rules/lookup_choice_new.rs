//! The database accepts a value that no form offers.

use super::shared::listed;
use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::MetLimits;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/choice-new",
    severity: Severity::Note,
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
    detects: "A changed type or constraint of a field with choices has a new value.",
    matters: "Records that others write with it are shown without a readable label, and nobody can choose it here.",
    before: "choices = [\"langstroth\", \"top-bar\"]",
    after: "the constraint on hive.hive_type gained 'warre'",
    to_do: "The merge adds it where nobody wrote the list, and asks where somebody did.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for MetLimits { met, before, after } in context.met_limits() {
        let offered = |value: &str| met.field.choices.iter().any(|c| c.value.value == value);
        let new: Vec<&str> =
            after.values.iter().map(String::as_str).filter(|v| !before.values.iter().any(|b| b == v) && !offered(v)).collect();
        if !met.field.choices.is_empty() && !new.is_empty() {
            let message = format!("`{}` doesn't offer {}, which the database accepts now", met.name(), listed(&new));
            out.push(of_field(&RULE, RULE.severity, met, context.forms(met.entity, met.field), message).settled_by(&["choices"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + check phone IN ('a', 'b')
after keeper - check phone IN ('a', 'b')
after keeper + check phone IN ('a', 'b', 'c')
finds note keeper/field.phone: `phone` doesn't offer 'c', which the database accepts now

before keeper + check phone IN ('a', 'b')
after keeper - check phone IN ('a', 'b')
after keeper + check phone IN ('a')
finds nothing

# A member of a set.
on mariadb
before keeper + moods set('a','b')
after keeper.moods: set('a','b','c')
finds note keeper/field.moods: `moods` doesn't offer 'c', which the database accepts now
"#;
