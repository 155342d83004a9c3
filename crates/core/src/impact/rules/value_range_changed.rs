//! The form allows numbers that the database refuses.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::impact::{Docs, MetLimits, Rule};
use crate::schema::{ColumnType, Kind, TypeRelation};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/range-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged, ChangeKind::CheckAdded, ChangeKind::CheckDropped, ChangeKind::DomainChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A constraint or a narrower type allows fewer numbers than before, and the field's `min` and `max` don't keep to it; a note where the database allows more.",
    matters: "Some inputs fail when saved.",
    before: "min = 1, max = 5 for queen_strain.temper",
    after: "the constraint allows 1 to 4",
    to_do: "The merge takes over the bounds where nobody set them, and asks where somebody did.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for MetLimits { met, before, after } in context.met_limits() {
        let forms = context.forms(met.entity, met.field);
        let number = |text: &Option<String>| text.as_deref().and_then(|t| t.parse::<f64>().ok());
        let yours = |bound: &Option<crate::definition::Spanned<String>>| bound.as_ref().and_then(|b| b.value.parse::<f64>().ok());
        let (least, greatest) = (number(&after.least), number(&after.greatest));
        let below = least.is_some_and(|now| yours(&met.field.min).is_none_or(|own| own < now));
        let above = greatest.is_some_and(|now| yours(&met.field.max).is_none_or(|own| own > now));
        let bounds = |d: &crate::draft::Declared| (d.least.clone(), d.greatest.clone());
        if bounds(before) == bounds(after) || forms.is_empty() {
            continue;
        }
        let said = |d: &crate::draft::Declared| match bounds(d) {
            (None, None) => "any number".to_owned(),
            (Some(least), Some(greatest)) => format!("{least} to {greatest}"),
            (Some(least), None) => format!("{least} or more"),
            (None, Some(greatest)) => format!("{greatest} or less"),
        };
        let tighter = below && after.least != before.least || above && after.greatest != before.greatest;
        let severity = if tighter { RULE.severity } else { Severity::Note };
        let message = format!("the database accepts {} in `{}` now; it accepted {}", said(after), met.name(), said(before));
        out.push(of_field(&RULE, severity, met, forms, message).settled_by(&["min", "max"]));
    }
    for met in context.met_fields(&[ChangeKind::TypeChanged]) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        let whole = |t: &ColumnType| matches!(t.kind, Kind::Integer | Kind::Decimal);
        let forms = context.forms(met.entity, met.field);
        let narrower = whole(old) && whole(new) && old.relation(new) == TypeRelation::Narrowed;
        if narrower && new.enforced && !forms.is_empty() && met.field.lookup.is_none() {
            let message = format!("`{}` was {} and is {} now: the database refuses greater numbers", met.name(), old.shown(), new.shown());
            out.push(of_field(&RULE, RULE.severity, &met, forms, message).settled_by(&["min", "max"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + check age >= 1
after keeper - check age >= 1
after keeper + check age >= 18
finds risk keeper/field.age: the database accepts 18 or more in `age` now; it accepted 1 or more

# A person was stricter all along.
before keeper + check age >= 1
given keeper/field.age.min = 18
after keeper - check age >= 1
after keeper + check age >= 18
finds note keeper/field.age: the database accepts 18 or more in `age` now; it accepted 1 or more

before keeper + check age >= 1
after visit.note: text(60)
finds nothing
"#;
