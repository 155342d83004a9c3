//! Values may be in another unit.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::draft::unit_of;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::schema::Kind;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/unit-suspected",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnRenamed, ChangeKind::TypeChanged],
    elements: &[ElementKind::Form, ElementKind::Label, ElementKind::Page],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column was renamed from one unit to another, or a measured number lost its decimals.",
    matters: "1.5 and 1500 look alike on no page: totals, limits and labels are off by a factor, and nothing fails.",
    before: "harvest.honey_kg",
    after: "the column is called honey_g",
    to_do: "Ask what the values are now; fix `unit`, `min`, `max` and labels.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(&[ChangeKind::ColumnRenamed]) {
        if let (Some(old), Some(new)) = (unit_of(&met.before.name), unit_of(&met.after.name))
            && old != new
        {
            let pages = context.pages_with(met.entity, &met.field.name, |_| true);
            out.push(of_field(&RULE, RULE.severity, &met, pages, format!("`{}` was in {old} and may be in {new} now", met.name())));
        }
    }
    for met in context.met_fields(&[ChangeKind::TypeChanged]) {
        let (old, new) = (&met.before.column_type, &met.after.column_type);
        let whole = matches!(old.kind, Kind::Decimal | Kind::Float) && new.kind == Kind::Integer;
        let unit = unit_of(&met.before.name).map(str::to_owned).or_else(|| met.field.unit.as_ref().map(|u| u.value.clone()));
        // A renamed unit says it better.
        let renamed = unit_of(&met.before.name) != unit_of(&met.after.name);
        if let Some(unit) = unit.filter(|_| whole && !renamed) {
            let pages = context.pages_with(met.entity, &met.field.name, |_| true);
            let message =
                format!("`{}` was in {} with decimals and is a whole number now: perhaps in another unit", met.name(), shown(&unit));
            out.push(of_field(&RULE, RULE.severity, &met, pages, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper.age -> weight_kg
after keeper.weight_kg -> weight_g
finds risk keeper/field.weight_kg: `weight_kg` was in kg and may be in g now

before keeper.age -> weight_kg
after keeper.weight_kg -> gross_kg
finds nothing
"#;
