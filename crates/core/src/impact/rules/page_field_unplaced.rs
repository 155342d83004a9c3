//! A new column is on no page.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::named::FIELD_UNPLACED;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: FIELD_UNPLACED,
    severity: Severity::Note,
    changes: &[ChangeKind::ColumnAdded],
    elements: &[ElementKind::Page],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table behind an entity has a column that no field holds yet.",
    matters: "New columns appear nowhere by themselves; people look for them in vain.",
    before: "an entity over keeper",
    after: "the database gained keeper.email_confirmed",
    to_do: "The merge drafts a field for it, places it on pages that the generator lays out, and asks for those laid out by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        let Some(column) = met.change.column.as_deref() else { continue };
        let held = met.entity.fields.iter().any(|f| f.columns.iter().any(|c| same(&c.value, column)));
        if !held && !met.entity.left_out.iter().any(|c| same(&c.value, column)) {
            let message = format!("`{}` is new and on no page", shown(column));
            let finding = of_entity(&RULE, RULE.severity, &met, message).because((Some(met.at), Remedy::Merge));
            out.push(finding.column(&met.entity.table.value, column).settled_by(&["new-field"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + shoe integer
finds note keeper/table: `shoe` is new and on no page

after visit.note: text(60)
finds nothing
"#;
