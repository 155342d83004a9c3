//! Two fields on one page read the same.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::definition::Field;
use crate::draft::field_label;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};
use std::collections::{BTreeMap, BTreeSet};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/duplicate",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnAdded],
    elements: &[ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A page shows two fields with the same label, or a new column would be labelled as a field that is there.",
    matters: "Nobody can tell which is which, and values end up in the wrong one.",
    before: "label = \"Phone\" for mobile",
    after: "the database gained keeper.phone",
    to_do: "Give one of them another label.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entity in context.entities() {
        // Most have no two fields that read the same, and then none of their pages has.
        let mut read = BTreeSet::new();
        if entity.fields.iter().all(|field| read.insert(label_of(field).to_lowercase())) {
            continue;
        }
        let mut told = BTreeSet::new();
        for page in &entity.pages {
            let mut labels: BTreeMap<String, &str> = BTreeMap::new();
            for named in &page.shown {
                let Some(field) = entity.field(&named.value) else { continue };
                match labels.insert(label_of(field).to_lowercase(), &field.name) {
                    Some(other) if other != field.name && told.insert((other.to_owned(), field.name.clone())) => {
                        let message = format!("`{}` and `{}` both read \"{}\"", shown(other), shown(&field.name), shown(&label_of(field)));
                        let pages = vec![page.name.clone()];
                        out.push(
                            Finding::new(RULE.name, RULE.severity, message)
                                .entity(&entity.name)
                                .field(&field.name)
                                .pages(pages)
                                .at(&field.place),
                        );
                    }
                    _ => {}
                }
            }
        }
    }
    for met in context.met_entities(RULE.changes) {
        let Some(column) = met.change.column.as_deref() else { continue };
        let label = field_label(column).to_lowercase();
        let held = |f: &Field| f.columns.iter().any(|c| same(&c.value, column));
        let alike = met.entity.fields.iter().find(|f| !f.hidden && label_of(f).to_lowercase() == label && !held(f));
        if let Some(field) = alike {
            let message =
                format!("the new `{}` would read \"{}\", as `{}` does", shown(column), shown(&label_of(field)), shown(&field.name));
            out.push(of_entity(&RULE, RULE.severity, &met, message).field(&field.name).at(&field.place));
        }
    }
}

/// What people read for a field.
fn label_of(field: &Field) -> String {
    field.label.as_ref().map_or_else(|| field_label(&field.name), |l| l.value.clone())
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# The new field will be drafted with a label that a person gave another.
given keeper/field.phone.label = "Call"
after keeper + call integer
finds risk keeper/field.phone: the new `call` would read "Call", as `phone` does

given keeper/field.phone.label = "Age"
finds risk keeper/field.age: `phone` and `age` both read "Age"

given keeper/field.phone.label = "Call"
after keeper + shoe integer
finds nothing
"#;
