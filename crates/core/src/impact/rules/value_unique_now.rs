//! The database refuses a second record with the same value.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::definition::Field;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{contains, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/unique-now",
    severity: Severity::Risk,
    changes: &[ChangeKind::UniqueAdded, ChangeKind::PrimaryKeyChanged, ChangeKind::IndexAdded],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A unique constraint came over fields that aren't `unique`.",
    matters: "Forms accept a value that is taken; the database refuses it.",
    before: "apiary.name may repeat",
    after: "a unique constraint on it was added",
    to_do: "The merge makes a single field unique where nobody decided otherwise; for several write a `[check]` rule.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(&[ChangeKind::UniqueAdded]) {
        let Some(unique) = met.after.uniques.iter().find(|u| met.change.after.as_deref() == Some(u.shown().as_str())) else { continue };
        let holds = |f: &Field| {
            !f.columns.is_empty() && f.columns.iter().all(|c| contains(&unique.columns, context.name_now(&met.before.name, &c.value)))
        };
        let fields: Vec<&Field> = met.entity.fields.iter().filter(|f| f.is_stored() && holds(f)).collect();
        match fields.as_slice() {
            [field] if unique.columns.len() == field.columns.len() => {
                let forms = context.forms(met.entity, field);
                if !field.unique && !forms.is_empty() {
                    let message = format!("`{}` may repeat on the form, but no two records may have the same now", shown(&field.name));
                    let finding = of_entity(&RULE, RULE.severity, &met, message).field(&field.name).pages(forms).at(&field.place);
                    out.push(finding.settled_by(&["unique"]));
                }
            }
            [] => {}
            [first, ..] => {
                let forms = context.forms(met.entity, first);
                if !forms.is_empty() {
                    let message = format!("no two records may have the same {} now", shown(&unique.columns.join(", ")));
                    out.push(of_entity(&RULE, RULE.severity, &met, message).pages(forms));
                }
            }
        }
    }
    for met in context.met_entities(&[ChangeKind::IndexAdded]) {
        let pages = met.entity.saving_pages();
        let unique = met.after.indexes.iter().any(|i| i.unique && Some(&i.name) == met.change.object.as_ref());
        if unique && !pages.is_empty() {
            let message =
                format!("a unique index refuses a second record alike: {}", shown(met.change.after.as_deref().unwrap_or_default()));
            out.push(of_entity(&RULE, RULE.severity, &met, message).pages(pages));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + unique last_name
finds risk keeper/field.last_name: `last_name` may repeat on the form, but no two records may have the same now

given keeper/field.last_name.unique = true
after keeper + unique last_name
finds nothing
"#;
