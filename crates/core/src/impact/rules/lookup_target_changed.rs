//! The database's key points elsewhere than the lookup does.

use super::shared::begins_with;
use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{contains, dotted, same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/target-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ForeignKeyAdded],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The foreign key behind a lookup points at another table, or at other columns, than before.",
    matters: "The choices come from one table and the database compares with another: saves are refused, or worse, point at the wrong record.",
    before: "lookup = { entity = \"keeper\" }",
    after: "apiary.keeper_id references member now",
    to_do: "Point the lookup at the new entity; its values have to be looked at.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        for (field, lookup, columns, now) in context.lookups_of(met.entity) {
            let Some((old, new)) = met.before.foreign_key(&columns).zip(met.after.foreign_key(&now)) else { continue };
            if !begins_with(met.change.after.as_deref(), &now) {
                continue;
            }
            let targets = context.input.accepted.table(&old.table).zip(context.changed().table(&new.table));
            let Some((was, is)) = targets else { continue };
            let moved = !same(context.table_name_now(&old.table), &new.table);
            let turned = || {
                let before = context.columns_now(&was.name, old.target_columns(was));
                let after = new.target_columns(is);
                before.len() != after.len() || !before.iter().all(|c| contains(after, c))
            };
            if moved || turned() {
                let message = format!(
                    "lookup `{}` offers records of `{}`, but the database looks for its value in {} now",
                    shown(&field.name),
                    shown(&lookup.entity.value),
                    shown(&dotted(&new.table, &new.target_columns(is).join(", ")))
                );
                let finding = of_entity(&RULE, RULE.severity, &met, message).field(&field.name).pages(context.forms(met.entity, field));
                out.push(finding.at(&field.place).settled_by(&["lookup"]));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.region_code: text(8) -> visit.id
finds risk keeper/field.region_code: lookup `region_code` offers records of `region`, but the database looks for its value in visit.id now

after keeper.region_code: text(8) -> region.code cascade
finds nothing
"#;
