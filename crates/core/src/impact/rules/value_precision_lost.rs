//! A column keeps less of a number or a moment.

use super::shared::loses_precision;
use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/precision-lost",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Form, ElementKind::Page],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column has fewer decimals, became a whole number, or keeps the day or fewer digits of a moment.",
    matters: "What people type is rounded or cut without a word.",
    before: "decimals = 2 for harvest.honey_kg",
    after: "the column became an integer",
    to_do: "The merge takes over the decimals where nobody decided otherwise; look at the values.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        if loses_precision(old, new) {
            let message = format!("`{}` keeps less: it was {} and is {} now", met.name(), old.shown(), new.shown());
            let pages = context.pages_with(met.entity, &met.field.name, |_| true);
            out.push(of_field(&RULE, RULE.severity, &met, pages, message).settled_by(&["decimals", "kind"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper.age: decimal(8,2)
after keeper.age: decimal(8,1)
finds risk keeper/field.age: `age` keeps less: it was decimal(8,2) and is decimal(8,1) now

before keeper.age: decimal(8,2)
after keeper.age: decimal(9,2)
finds nothing
"#;
