//! A role loses pages.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/page-gone",
    severity: Severity::Note,
    changes: &[ChangeKind::TableDropped, ChangeKind::ViewBroken],
    elements: &[ElementKind::Access, ElementKind::Menu],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The table of an entity that a role may use is gone, or the view can't be read any more; a rename takes the grants along.",
    matters: "The role's people look for pages that aren't there; what they were granted is worth keeping.",
    before: "[access.vet] of harvest",
    after: "the table harvest was dropped",
    to_do: "Nothing: the merge sets the grants aside with the entity.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for (at, change) in context.changes(RULE.changes) {
        for entity in context.entities_over(&change.table) {
            for access in entity.access.iter().filter(|a| a.read && context.model.app.roles.contains_key(&a.role)) {
                let pages: Vec<String> = entity.pages.iter().filter(|p| access.allows(p)).map(|p| p.name.clone()).collect();
                if !pages.is_empty() {
                    let message = format!("role `{}` loses the pages of `{}`", shown(&access.role), shown(&entity.name));
                    let (_, remedy) = context.cause_of_loss(&change.table, None);
                    let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).role(&access.role);
                    out.push(finding.pages(pages).at(&access.place).because((Some(at), remedy)));
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after drop visit
finds note visit/access.everyone: role `everyone` loses the pages of `visit`

after visit -> call_log
finds nothing
"#;
