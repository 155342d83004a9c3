//! A protected column has, or may have, a new name that nothing protects.

use crate::changes::ChangeKind;
use crate::definition::{Place, Spanned};
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/protection-lost",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column that is hidden or read-only for somebody was renamed, or replaced by one that may be it, and the new name is not protected.",
    matters: "Drafted anew, the column would be visible or writable under its new name, and nothing would say so.",
    before: "hide = [\"latitude\"]",
    after: "apiary.latitude is called lat",
    to_do: "Answer whether it was renamed. Either way the merge protects the new name as the old one was.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for rename in &context.input.comparison.renames {
        let Some(old) = &rename.column else { continue };
        let new = if rename.candidates.is_empty() { rename.to.iter().cloned().collect() } else { rename.candidates.clone() };
        if new.is_empty() {
            continue;
        }
        for entity in context.entities().filter(|e| same(&e.table.value, &rename.table)) {
            let Some(field) = entity.fields.iter().find(|f| f.columns.iter().any(|c| same(&c.value, old))) else { continue };
            let mut report = |how: String, role: Option<&str>, place: &Place| {
                let names = new.iter().map(|n| format!("`{}`", shown(n))).collect::<Vec<_>>().join(" or ");
                let may = if rename.taken { "is called" } else { "may be called" };
                let mut finding = Finding::new(
                    RULE.name,
                    RULE.severity,
                    format!("`{}` {how}; it {may} {names} now, which nothing protects", shown(&field.name)),
                )
                .entity(&entity.name)
                .field(&field.name)
                .at(place)
                .because(context.cause_of_loss(&rename.table, Some(old)));
                finding.role = role.map(str::to_owned);
                out.push(finding);
            };
            if field.hidden {
                report("is hidden".to_owned(), None, &field.place);
            }
            for access in &entity.access {
                let named = |list: &[Spanned<String>]| list.iter().find(|f| f.value == field.name).map(|f| f.place.clone());
                if let Some(place) = named(&access.hide) {
                    report(format!("is hidden from role `{}`", shown(&access.role)), Some(&access.role), &place);
                } else if let Some(place) = named(&access.read_only) {
                    report(format!("is read-only for role `{}`", shown(&access.role)), Some(&access.role), &place);
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# Hidden by its old name, open by its new one.
after keeper.phone -> phone_no
finds risk keeper/access.guest.hide[0]: `phone` is hidden from role `guest`; it is called `phone_no` now, which nothing protects

given keeper/access.guest.hide = []
after keeper.phone -> phone_no
finds nothing
"#;
