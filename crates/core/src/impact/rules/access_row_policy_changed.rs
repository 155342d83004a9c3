//! The database shows other records to a role than before.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/row-policy-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::PolicyAdded, ChangeKind::PolicyDropped, ChangeKind::PolicyChanged, ChangeKind::RowSecurityChanged],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A row policy of the table behind an entity came, went or changed, or policies were switched on or off.",
    matters: "Pages go on working and show more or fewer records; without any policy left, the table's rows may be open to everybody with a grant.",
    before: "a policy lets app_keeper see own yards",
    after: "the policy was dropped",
    to_do: "Ask who changed it and why; compare with the `rows` of the role.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        let what =
            met.change.object.as_deref().map_or_else(|| "row security".to_owned(), |policy| format!("the row policy `{}`", shown(policy)));
        let how = match (met.change.before.as_deref(), met.change.after.as_deref()) {
            (None, Some(after)) => format!("is new: {}", shown(after)),
            (Some(before), None) => format!("is gone: {}", shown(before)),
            (Some(before), Some(after)) => format!("was {} and is {}", shown(before), shown(after)),
            (None, None) => "changed".to_owned(),
        };
        let pages = met.entity.pages.iter().map(|p| p.name.clone()).collect();
        out.push(of_entity(&RULE, RULE.severity, &met, format!("{what} {how}; pages may show other records")).pages(pages));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + policy own select (age > 1)
finds risk keeper/table: the row policy `own` is new: select for everybody, sees age > 1; pages may show other records

after visit.note: text(60)
finds nothing
"#;
