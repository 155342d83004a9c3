//! The columns that tell records apart no longer do.

use super::{Docs, Rule, of_entity};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/key-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::PrimaryKeyChanged, ChangeKind::UniqueDropped, ChangeKind::TypeChanged],
    elements: &[ElementKind::Key],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The columns of the entity's key are there, but the database no longer keeps them unique; a break where it can't compare them any more.",
    matters: "Opening, saving or deleting one record may reach several.",
    before: "key = [\"code\"]",
    after: "the unique constraint on apiary.code was dropped",
    to_do: "Take a key that is unique, or have the constraint put back; `impact --data` counts the duplicates.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        let (What::WrongType { table, column, operation, .. }, Why::Key) = (&lost.what, &lost.used.why) else { continue };
        let message = format!("the key can't be compared any more: {}", shown(operation));
        let cause = (context.cause_of_type(table, column), Remedy::Hand);
        let finding = Finding::new(RULE.name, Severity::Break, message).entity(&lost.entity.name).pages(lost.pages.clone());
        out.push(finding.at(&lost.used.place).because(cause));
    }
    for met in context.met_entities(&[ChangeKind::PrimaryKeyChanged, ChangeKind::UniqueDropped]) {
        let key: Vec<String> = met.entity.key.iter().map(|c| c.value.clone()).collect();
        let now = context.columns_now(&met.before.name, &key);
        let there = now.iter().all(|c| met.after.column(c).is_some());
        if there && met.before.tells_apart(&key) && !met.after.tells_apart(&now) {
            let message = format!("the key ({}) is no longer unique: one page may reach several records", shown(&key.join(", ")));
            let reach = |kind: &str| ["detail", "edit", "bulk", "list"].contains(&kind);
            let pages = met.entity.pages.iter().filter(|p| reach(p.kind.name())).map(|p| p.name.clone()).collect();
            let place = met.entity.key.first().map_or(&met.entity.table.place, |k| &k.place);
            out.push(of_entity(&RULE, RULE.severity, &met, message).pages(pages).at(place));
        }
    }
}
