//! A plain field points at other records now.

use super::shared::begins_with;
use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/available",
    severity: Severity::Note,
    changes: &[ChangeKind::ForeignKeyAdded],
    elements: &[ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A new foreign key is over the column of a field that is no lookup.",
    matters: "People type ids where they could choose a name; the database refuses ids that don't exist.",
    before: "kind = \"number\" for inspection.inspector_id",
    after: "a foreign key to keeper was added",
    to_do: "The merge makes it a lookup where nobody decided otherwise.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        for field in met.entity.fields.iter().filter(|f| f.lookup.is_none() && f.is_stored() && !f.hidden) {
            let columns: Vec<String> = field.columns.iter().map(|c| c.value.clone()).collect();
            let now = context.columns_now(&met.before.name, &columns);
            if let Some(key) = met.after.foreign_key(&now).filter(|_| begins_with(met.change.after.as_deref(), &now)) {
                let message = format!("`{}` points at `{}` now and could be a lookup", shown(&field.name), shown(&key.table));
                let finding = of_entity(&RULE, RULE.severity, &met, message).field(&field.name).pages(context.forms(met.entity, field));
                out.push(finding.at(&field.place).settled_by(&["lookup", "kind"]));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.age: integer -> region
finds note keeper/field.age: `age` points at `region` now and could be a lookup

# It is a lookup already.
after keeper.region_code: text(8) -> visit.id
finds nothing
"#;
