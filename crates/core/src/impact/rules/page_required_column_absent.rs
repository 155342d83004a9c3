//! An add page leaves out a column the database insists on.

use super::shared::required_absent;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/required-column-absent",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnAdded,
        ChangeKind::ColumnRenamed,
        ChangeKind::BecameRequired,
        ChangeKind::DefaultChanged,
        ChangeKind::GeneratedChanged,
        ChangeKind::DomainChanged,
    ],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column is NOT NULL without a default, and an add page doesn't give it a value.",
    matters: "Every save of the page is refused.",
    before: "an add page for inspections",
    after: "the database gained inspection.weather TEXT NOT NULL",
    to_do: "The merge asks where the new field goes; an existing field that is hidden has to be shown, or the column given a default.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let before = out.len();
    required_absent(context, &RULE, out, |lost, column| {
        let told = format!("no record can be added: `{}` must have a value and the page gives none", shown(column));
        match &lost.used.why {
            Why::Save => Some((None, told)),
            Why::SaveAs { role } => {
                let of_all = context.lost().iter().any(|all| all.used.why == Why::Save && all.what == lost.what && all.pages == lost.pages);
                let as_role = format!(
                    "no record can be added as {}: `{}` must have a value, and this role may not give it",
                    shown(role),
                    shown(column)
                );
                (!of_all).then_some((None, as_role))
            }
            _ => None,
        }
    });
    for finding in out.iter_mut().skip(before) {
        let entity = finding.entity.as_ref().and_then(|e| context.model.entities.get(e));
        let column = finding.column.as_deref().and_then(|c| c.rsplit('.').next()).unwrap_or_default();
        let held = entity.and_then(|e| e.fields.iter().find(|f| f.columns.iter().any(|c| same(&c.value, column))));
        if let Some(field) = held.filter(|f| f.hidden) {
            finding.message.push_str(&format!(", and its field `{}` is hidden", shown(&field.name)));
        }
        if finding.role.is_some() {
            "let the role give it: take its field out of the role's hide or read_only; or give the column a default"
                .clone_into(&mut finding.help);
        } else if finding.remedy == Remedy::Hand {
            "place its field on the page, or give the column a default".clone_into(&mut finding.help);
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + iban text required
finds break keeper/page.add: no record can be added: `iban` must have a value and the page gives none

after keeper + iban text required default ''
finds nothing

after keeper + iban text required generated phone
finds nothing
"#;
