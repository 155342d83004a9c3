//! A role may do nothing.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};
use std::collections::BTreeMap;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/role-unused",
    severity: Severity::Note,
    changes: &[ChangeKind::TableDropped],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "No entity grants anything to a role, or every one that did has lost its table.",
    matters: "Whoever has the role signs in and sees nothing.",
    before: "[role.auditor] without any [access.auditor]",
    after: "nothing: it is so in the definition",
    to_do: "Grant something to it, or take the role out.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut granted: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for entity in context.entities() {
        for access in entity.access.iter().filter(|a| a.read || a.add || a.edit || a.delete) {
            granted.entry(&access.role).or_default().push(&entity.table.value);
        }
    }
    for (role, place) in &context.model.app.roles {
        let tables = granted.get(role.as_str());
        let message = format!("no entity grants anything to role `{}`", shown(role));
        match tables {
            None => out.push(Finding::new(RULE.name, RULE.severity, message).role(role).at(place).because((None, Remedy::None))),
            Some(tables) => {
                let dropped = |table: &&str| context.changes(RULE.changes).find(|(_, c)| same(&c.table, table)).map(|(at, _)| at);
                let causes: Vec<Option<usize>> = tables.iter().map(dropped).collect();
                if causes.iter().all(Option::is_some) {
                    let message = format!("every table that role `{}` may use is gone", shown(role));
                    let cause = causes.first().copied().flatten();
                    out.push(Finding::new(RULE.name, RULE.severity, message).role(role).at(place).because((cause, Remedy::None)));
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given app/role.nobody = {}
finds note app/role.nobody: no entity grants anything to role `nobody`

finds nothing
"#;
