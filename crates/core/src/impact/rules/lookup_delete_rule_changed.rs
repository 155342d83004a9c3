//! Deleting a record does something else to those that point at it.

use super::shared::begins_with;
use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::definition::Entity;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/delete-rule-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ForeignKeyAdded],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The foreign key behind a lookup has another rule for deleting: a risk where it cascades now, else a note.",
    matters: "With CASCADE, deleting one record silently deletes every record that points at it.",
    before: "hive.apiary_id references apiary",
    after: "it references apiary ON DELETE CASCADE now",
    to_do: "Ask whether that is meant; warn on the page, or take `delete` from its actions.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        for (field, lookup, columns, now) in context.lookups_of(met.entity) {
            let Some((old, new)) = met.before.foreign_key(&columns).zip(met.after.foreign_key(&now)) else { continue };
            if old.on_delete == new.on_delete || !begins_with(met.change.after.as_deref(), &now) {
                continue;
            }
            let (target, here) = (shown(&lookup.entity.value), shown(&met.entity.name));
            let cascades = new.on_delete.as_deref().is_some_and(|rule| rule.eq_ignore_ascii_case("CASCADE"));
            let (severity, message) = match new.on_delete.as_deref() {
                Some(_) if cascades => {
                    (Severity::Risk, format!("deleting a record of `{target}` now deletes every record of `{here}` that points at it"))
                }
                Some(rule) if rule.eq_ignore_ascii_case("SET NULL") => (
                    Severity::Note,
                    format!("deleting a record of `{target}` now empties `{}` in the records of `{here}`", shown(&field.name)),
                ),
                Some(rule) => (
                    Severity::Note,
                    format!("deleting a record of `{target}` now means {} for the records of `{here}` that point at it", shown(rule)),
                ),
                None => {
                    (Severity::Note, format!("a record of `{target}` can't be deleted any more while a record of `{here}` points at it"))
                }
            };
            // Whoever may delete the target does the damage.
            let pages = context.model.entities.get(&lookup.entity.value).map(deleting).unwrap_or_default();
            out.push(of_entity(&RULE, severity, &met, message).entity(&lookup.entity.value).pages(pages).at(&field.place));
        }
    }
}

/// The pages that delete records.
fn deleting(entity: &Entity) -> Vec<String> {
    entity.pages.iter().filter(|p| !entity.read_only && p.offers("delete")).map(|p| p.name.clone()).collect()
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# What a person deletes takes more along.
after keeper.region_code: text(8) -> region.code cascade
finds risk keeper/field.region_code of region: deleting a record of `region` now deletes every record of `keeper` that points at it

after keeper.region_code: text(8) -> region.code empties
finds note keeper/field.region_code of region: deleting a record of `region` now empties `region_code` in the records of `keeper`

after keeper.region_code: text(8) -> visit.id
finds nothing
"#;
