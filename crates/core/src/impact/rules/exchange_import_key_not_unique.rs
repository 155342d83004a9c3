//! One line of an imported file may match several records.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/import-key-not-unique",
    severity: Severity::Risk,
    changes: &[ChangeKind::PrimaryKeyChanged, ChangeKind::UniqueDropped],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The columns of an import's `key` are no longer unique.",
    matters: "An import changes several records by one line, or none where it should.",
    before: "key = [\"member_no\"]",
    after: "the unique constraint on keeper.member_no was dropped",
    to_do: "Match by columns that are unique, or have the constraint put back.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut told = BTreeSet::new();
    for met in context.met_entities(RULE.changes) {
        for import in &met.entity.imports {
            let key: Vec<String> = import.key.iter().map(|c| c.value.clone()).collect();
            let now = context.columns_now(&met.before.name, &key);
            let there = !key.is_empty() && now.iter().all(|c| met.after.column(c).is_some());
            if there && met.before.tells_apart(&key) && !met.after.tells_apart(&now) && told.insert((&met.entity.name, &import.name)) {
                let message =
                    format!("the import `{}` matches by {}, which is no longer unique", shown(&import.name), shown(&key.join(", ")));
                let place = import.key.first().map_or(&import.place, |k| &k.place);
                out.push(of_entity(&RULE, RULE.severity, &met, message).at(place));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + unique last_name
given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name" } }
after keeper - unique last_name
finds risk keeper/import.sheet.key[0]: the import `sheet` matches by last_name, which is no longer unique

before keeper + unique last_name
given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name" } }
after visit.note: text(60)
finds nothing
"#;
