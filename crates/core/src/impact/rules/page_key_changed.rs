//! The columns that tell records apart no longer do.

use super::{Docs, Rule, of_entity};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/key-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::PrimaryKeyChanged, ChangeKind::UniqueDropped],
    elements: &[ElementKind::Key],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The columns of the entity's key are there, but the database no longer keeps them unique.",
    matters: "Opening, saving or deleting one record may reach several.",
    before: "key = [\"code\"]",
    after: "the unique constraint on apiary.code was dropped",
    to_do: "Take a key that is unique, or have the constraint put back; `impact --data` counts the duplicates.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        let key: Vec<String> = met.entity.key.iter().map(|c| c.value.clone()).collect();
        let now = context.columns_now(&met.before.name, &key);
        let there = now.iter().all(|c| met.after.column(c).is_some());
        if there && met.before.tells_apart(&key) && !met.after.tells_apart(&now) {
            let message = format!("the key ({}) is no longer unique: one page may reach several records", shown(&key.join(", ")));
            let reach = |kind: &str| ["detail", "edit", "bulk", "list"].contains(&kind);
            let pages = met.entity.pages.iter().filter(|p| reach(p.kind.name)).map(|p| p.name.clone()).collect();
            let place = met.entity.key.first().map_or(&met.entity.table.place, |k| &k.place);
            out.push(of_entity(&RULE, RULE.severity, &met, message).pages(pages).at(place));
        }
    }
}
