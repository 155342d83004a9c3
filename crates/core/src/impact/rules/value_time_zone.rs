//! Moments are kept with a time zone, or no longer.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::schema::Kind;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/time-zone",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Form, ElementKind::Page, ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The type of a column gained or lost its time zone.",
    matters: "Every moment is shown and compared some hours off, depending on where the server stands.",
    before: "inspected_at timestamp",
    after: "it became timestamp with time zone",
    to_do: "Ask which zone the old values meant; look at formulas and filters over it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        let moment = |kind: Kind| matches!(kind, Kind::DateTime | Kind::Time);
        if moment(old.kind) && moment(new.kind) && old.zone != new.zone {
            let how = if new.zone { "are kept in a time zone now" } else { "lost their time zone" };
            let pages = context.pages_with(met.entity, &met.field.name, |_| true);
            out.push(of_field(&RULE, RULE.severity, &met, pages, format!("the values of `{}` {how}", met.name())));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper.born_on: moment
after keeper.born_on: zoned
finds risk keeper/field.born_on: the values of `born_on` are kept in a time zone now

before keeper.born_on: moment(3)
after keeper.born_on: moment(6)
finds nothing
"#;
