//! One value of a lookup may stand for several records.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/not-unique",
    severity: Severity::Risk,
    changes: &[ChangeKind::PrimaryKeyChanged, ChangeKind::UniqueDropped],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The columns a lookup points at are no longer unique.",
    matters: "Joins return a record once for each match: lists show it twice, totals count it twice.",
    before: "lookup = { entity = \"region\", value = [\"code\"] }",
    after: "the unique constraint on region.code was dropped",
    to_do: "Have the constraint put back, or point the lookup at a unique column.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut told = BTreeSet::new();
    for met in context.met_entities(RULE.changes) {
        for (entity, field) in context.lookups_to(&met.entity.name) {
            let Some(lookup) = &field.lookup else { continue };
            let value = if lookup.value.is_empty() { &met.entity.key } else { &lookup.value };
            let columns: Vec<String> = value.iter().map(|c| c.value.clone()).collect();
            let now = context.columns_now(&met.before.name, &columns);
            let there = now.iter().all(|c| met.after.column(c).is_some());
            if there && met.before.tells_apart(&columns) && !met.after.tells_apart(&now) && told.insert((&entity.name, &field.name)) {
                let message = format!(
                    "lookup `{}` points at `{}`.{}, which is no longer unique: records may be shown and counted twice",
                    shown(&field.name),
                    shown(&met.entity.name),
                    shown(&now.join(", "))
                );
                let pages = context.pages_with(entity, &field.name, |_| true);
                out.push(
                    of_entity(&RULE, RULE.severity, &met, message).entity(&entity.name).field(&field.name).pages(pages).at(&field.place),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after region - unique code
finds risk keeper/field.region_code: lookup `region_code` points at `region`.code, which is no longer unique: records may be shown and counted twice

after keeper - reference region_code
finds nothing
"#;
