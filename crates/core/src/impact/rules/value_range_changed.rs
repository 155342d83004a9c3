//! The form allows numbers that the database refuses.

use super::{Docs, Rule, of_field};
use crate::changes::ChangeKind;
use crate::impact::MetLimits;
use crate::impact::{Context, ElementKind, Finding, Severity};
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
            (least, greatest) => format!("{} to {}", least.as_deref().unwrap_or("…"), greatest.as_deref().unwrap_or("…")),
        };
        let tighter = below && after.least != before.least || above && after.greatest != before.greatest;
        let severity = if tighter { RULE.severity } else { Severity::Note };
        let message = format!("the database took {} of `{}` and takes {} now", said(before), met.name(), said(after));
        out.push(of_field(&RULE, severity, met, forms, message).settled_by(&["min", "max"]));
    }
    for met in context.met_fields(&[ChangeKind::TypeChanged]) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        let whole = |t: &ColumnType| matches!(t.kind, Kind::Integer | Kind::Decimal);
        let forms = context.forms(met.entity, met.field);
        let narrower = whole(old) && whole(new) && old.relation(new) == TypeRelation::Narrowed;
        if narrower && new.enforced && !forms.is_empty() && met.field.lookup.is_none() {
            let message =
                format!("`{}` has less room: it was {} and is {} now; greater numbers are refused", met.name(), old.shown(), new.shown());
            out.push(of_field(&RULE, RULE.severity, &met, forms, message).settled_by(&["min", "max"]));
        }
    }
}
