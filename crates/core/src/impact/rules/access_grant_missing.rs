//! A role's pages need a privilege that its database role lost.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/grant-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::GrantDropped, ChangeKind::GrantChanged],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A grant to the `database_role` of a role, or to everybody, is gone or smaller, and pages of the role need what it gave.",
    matters: "The database refuses the page's statements for the people of that role, while everybody else sees nothing wrong.",
    before: "database_role = \"app_keeper\"",
    after: "SELECT on region was revoked from app_keeper",
    to_do: "Have the privilege granted again, or take the page from the role. `rehearse --as ROLE` asks the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut told = BTreeSet::new();
    for (at, change) in context.changes(RULE.changes) {
        let Some((before, after)) = context.input.accepted.table(&change.table).zip(context.table_now(&change.table)) else { continue };
        for (role, database_role) in &context.model.app.database_roles {
            let who = [database_role.value.as_str(), "PUBLIC"];
            let lost: Vec<&str> = ["SELECT", "INSERT", "UPDATE", "DELETE"]
                .into_iter()
                .filter(|p| {
                    before.grants_to(&who, p)
                        && !after.grants_to(&who, p)
                        && !after.owner.as_deref().is_some_and(|o| same(o, &database_role.value))
                })
                .collect();
            for entity in context.entities().filter(|_| !lost.is_empty()) {
                let Some(access) = entity.access_of(role) else { continue };
                let usable = entity.pages.iter().filter(|p| access.allows(p));
                let needed: Vec<_> = usable.map(|p| (p, context.privileges(entity, p, role, &after.name))).collect();
                for privilege in &lost {
                    let pages = needed.iter().filter(|(_, privileges)| privileges.contains(privilege));
                    let pages: Vec<String> = pages.map(|(page, _)| page.name.clone()).collect();
                    if !pages.is_empty() && told.insert((entity.name.clone(), role.clone(), after.name.clone(), *privilege)) {
                        let message = format!(
                            "role `{}` needs {privilege} on `{}`, which `{}` has no more",
                            shown(role),
                            shown(&after.name),
                            shown(&database_role.value)
                        );
                        let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).role(role).pages(pages);
                        out.push(finding.at(&access.place).because((Some(at), Remedy::Hand)));
                    }
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + grant app_guest SELECT
given app/role.guest.database_role = "app_guest"
after keeper - grant app_guest SELECT
finds break keeper/access.guest: role `guest` needs SELECT on `keeper`, which `app_guest` has no more

# Another role's.
before keeper + grant app_other SELECT
given app/role.guest.database_role = "app_guest"
after keeper - grant app_other SELECT
finds nothing
"#;
