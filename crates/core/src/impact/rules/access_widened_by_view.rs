//! A view gives what a table hides.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};
use crate::sql;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/widened-by-view",
    severity: Severity::Risk,
    changes: &[ChangeKind::ViewChanged, ChangeKind::ColumnAdded],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A view behind an entity reads a column that another entity hides, from everybody or from a role, or lost the condition that kept records out.",
    matters: "What is hidden on the table's pages is read on the view's.",
    before: "keeper hides phone from vets; the view contact shows name and place",
    after: "the view shows phone too",
    to_do: "Hide the column there too, or have the view changed.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut told = BTreeSet::new();
    for met in context.met_entities(RULE.changes).into_iter().filter(|m| m.after.definition.is_some()) {
        let columns = |definition: Option<&str>, schema| definition.and_then(|text| sql::projection(text, schema)).unwrap_or_default();
        let before = columns(met.before.definition.as_deref(), context.input.accepted);
        let after = columns(met.after.definition.as_deref(), context.changed());
        for column in &after {
            let Some((table, source)) = column.from.as_ref().filter(|from| !before.iter().any(|b| b.from.as_ref() == Some(from))) else {
                continue;
            };
            for entity in context.entities_over(context.table_name_before(table)) {
                let held =
                    entity.fields.iter().find(|f| f.columns.iter().any(|c| same(context.name_now(&entity.table.value, &c.value), source)));
                let Some(field) = held else { continue };
                let roles: Vec<&str> = entity.access.iter().filter(|a| a.hides(&field.name)).map(|a| a.role.as_str()).collect();
                if (field.hidden || !roles.is_empty()) && told.insert((met.entity.name.clone(), column.name.clone())) {
                    let whom = if field.hidden { "everybody".to_owned() } else { format!("role `{}`", shown(&roles.join("`, `"))) };
                    let message =
                        format!("the view gives `{}` now, which `{}` hides from {whom}", shown(&column.name), shown(&entity.name));
                    out.push(of_entity(&RULE, RULE.severity, &met, message));
                }
            }
        }
        let engine = context.changed().engine;
        let conditions =
            [&met.before, &met.after].map(|t| t.definition.as_deref().and_then(|text| sql::outline(text, engine)).map(|o| o.condition));
        if let [Some(old), Some(new)] = conditions
            && !old.is_empty()
            && new.is_empty()
            && told.insert((met.entity.name.clone(), String::new()))
        {
            let message = format!("the view no longer keeps out records: its condition {} is gone", shown(&old));
            out.push(of_entity(&RULE, RULE.severity, &met, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after view grown_up: id integer; last_name text(60); age integer; phone text(20) = SELECT id, last_name, age, phone FROM keeper
finds risk grown_up/table: the view gives `phone` now, which `keeper` hides from role `guest`

after view grown_up: id integer; last_name text(60); age integer; born_on date = SELECT id, last_name, age, born_on FROM keeper
finds nothing
"#;
