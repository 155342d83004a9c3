//! Nothing in the database keeps a lookup's values to records that exist any more.

use super::shared::begins_with;
use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/no-longer-enforced",
    severity: Severity::Risk,
    changes: &[ChangeKind::ForeignKeyDropped],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The foreign key behind a lookup is gone, while its columns are there.",
    matters: "Values that point at nothing can come in, and deleting a record leaves others pointing at it: lookups show nothing, lists that join lose records.",
    before: "lookup = { entity = \"keeper\" }",
    after: "the foreign key inspection.inspector_id was dropped",
    to_do: "The field stays a lookup. Have the key put back, or see with `impact --data` how many values point at nothing.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        for (field, lookup, columns, now) in context.lookups_of(met.entity) {
            let still = now.iter().all(|c| met.after.column(c).is_some());
            let was = met.before.foreign_key(&columns).is_some() && met.after.foreign_key(&now).is_none();
            if was && still && begins_with(met.change.before.as_deref(), &now) {
                let message = format!(
                    "the database no longer makes sure that `{}` points at a `{}` that exists",
                    shown(&field.name),
                    shown(&lookup.entity.value)
                );
                out.push(
                    of_entity(&RULE, RULE.severity, &met, message)
                        .field(&field.name)
                        .pages(context.forms(met.entity, field))
                        .at(&field.place),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper - reference region_code
finds risk keeper/field.region_code: the database no longer makes sure that `region_code` points at a `region` that exists

after keeper.region_code: text(8) -> region.code cascade
finds nothing
"#;
