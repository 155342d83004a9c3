//! A column that looks sensitive appears.

use super::shared::{of_entity, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/sensitive-exposed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnAdded, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Access, ElementKind::Page, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A new column, or the new name of one, matches the conventions' patterns for sensitive columns.",
    matters: "Passwords, tokens and account numbers end up on pages that everybody reads.",
    before: "sensitive = [\"*iban*\"]",
    after: "the database gained keeper.iban",
    to_do: "The merge hides a new one from the start; one that was shown under another name stays as a person left it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let sensitive = |column: &str| context.input.around.conventions.is_sensitive(column);
    for met in context.met_entities(&[ChangeKind::ColumnAdded]) {
        let Some(column) = met.change.column.as_deref().filter(|c| sensitive(c)) else { continue };
        if !met.entity.left_out.iter().any(|c| same(&c.value, column)) {
            let message = format!("`{}` is new and looks sensitive", shown(column));
            out.push(of_entity(&RULE, RULE.severity, &met, message).because((Some(met.at), Remedy::Merge)));
        }
    }
    for met in context.met_fields(&[ChangeKind::ColumnRenamed]) {
        if sensitive(&met.after.name) && !sensitive(&met.before.name) && !met.field.hidden {
            let message = format!("`{}` is called `{}` now, which looks sensitive, and is shown", met.name(), shown(&met.after.name));
            let pages = context.pages_with(met.entity, &met.field.name, |_| true);
            out.push(of_field(&RULE, RULE.severity, &met, pages, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + iban text
finds risk keeper/table: `iban` is new and looks sensitive

after keeper + shoe integer
finds nothing
"#;
