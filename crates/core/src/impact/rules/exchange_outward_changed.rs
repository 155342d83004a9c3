//! Remote clients would see another shape.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/outward-changed",
    severity: Severity::Risk,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::BecameOptional,
        ChangeKind::BecameRequired,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
    ],
    elements: &[ElementKind::Outward],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that remote clients see changes its type, may be empty or no longer, is gone, or follows its column to another name.",
    matters: "Phones and other programs that nobody here can fix fail, or show nothing.",
    before: "outward = { name = \"members\" }",
    after: "keeper.email may be NULL now",
    to_do: "Tell whoever keeps the clients, or keep the old shape with a view.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let exposed = |entity: &crate::definition::Entity, field: &crate::definition::Field| {
        !field.hidden && entity.outward.as_ref().is_some_and(|o| !o.hide.iter().any(|h| h.value == field.name))
    };
    let called = |entity: &crate::definition::Entity, field: &crate::definition::Field| {
        let named = entity.outward.as_ref().and_then(|o| o.fields.iter().find(|(own, _)| *own == field.name));
        named.map_or_else(|| field.name.clone(), |(_, outward)| outward.value.clone())
    };
    for met in context.met_fields(&[ChangeKind::TypeChanged, ChangeKind::BecameOptional, ChangeKind::BecameRequired]) {
        if exposed(met.entity, met.field) {
            let shape = |text: &Option<String>| shown(text.as_deref().unwrap_or_default());
            let message = format!(
                "remote clients know `{}` as {}; it would be {}",
                shown(&called(met.entity, met.field)),
                shape(&met.change.before),
                shape(&met.change.after)
            );
            out.push(of_field(&RULE, RULE.severity, &met, Vec::new(), message));
        }
    }
    for (at, change) in context.changes(&[ChangeKind::ColumnRenamed]) {
        for entity in context.entities_over(&change.table) {
            let over =
                |f: &&crate::definition::Field| f.columns.iter().any(|c| change.column.as_ref().is_some_and(|own| same(&c.value, own)));
            for field in entity.fields.iter().filter(over).filter(|f| exposed(entity, f) && called(entity, f) == f.name) {
                let Some(to) = context.input.around.follows(&entity.name, &field.name) else { continue };
                let message =
                    format!("remote clients know `{}`; it would be `{}`, as the field follows its column", shown(&field.name), shown(to));
                let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).field(&field.name).at(&field.place);
                out.push(finding.because((Some(at), Remedy::Hand)).help("give it a name of its own under [outward] fields"));
            }
        }
    }
    for (at, change) in context.changes(&[ChangeKind::ColumnDropped, ChangeKind::TableDropped]) {
        for entity in context.entities_over(&change.table).iter().filter(|e| e.outward.is_some()) {
            let finding =
                |message: String| Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).because((Some(at), Remedy::Hand));
            match &change.column {
                Some(column) => {
                    let held = entity.fields.iter().filter(|f| f.columns.iter().any(|c| same(&c.value, column)) && exposed(entity, f));
                    for field in held {
                        let message = format!("remote clients know `{}`; it would be gone", shown(&called(entity, field)));
                        out.push(finding(message).field(&field.name).at(&field.place));
                    }
                }
                None => {
                    let message = format!("remote clients know `{}`; it would be gone", shown(&entity.name));
                    out.push(finding(message).at(&entity.table.place));
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/outward = { name = "members" }
after keeper.phone: text(30)
finds risk keeper/field.phone: remote clients know `phone` as text(20); it would be text(30)

# It isn't published.
given keeper/outward = { name = "members", hide = ["phone"] }
after keeper.phone: text(30)
finds nothing
"#;
