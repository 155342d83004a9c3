//! Remote clients would see a new field.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/outward-exposed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnAdded],
    elements: &[ElementKind::Outward],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "An entity that remote clients see has a new column.",
    matters: "What goes out was chosen; a column that came later was never chosen, and clients may fail on it.",
    before: "outward = { name = \"members\" }",
    after: "the database gained keeper.iban",
    to_do: "The merge puts it into `outward.hide`; take it out by hand where clients may see it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes).into_iter().filter(|m| m.entity.outward.is_some()) {
        let Some(column) = met.change.column.as_deref() else { continue };
        if !met.entity.left_out.iter().any(|c| same(&c.value, column)) {
            let message = format!("remote clients would see the new `{}`", shown(column));
            out.push(of_entity(&RULE, RULE.severity, &met, message).because((Some(met.at), Remedy::Merge)));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/outward = { name = "members" }
after keeper + shoe integer
finds risk keeper/table: remote clients would see the new `shoe`

after keeper + shoe integer
finds nothing
"#;
