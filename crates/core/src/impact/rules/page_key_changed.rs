//! The columns that tell records apart no longer do.

use super::shared::{Subject, of_entity, refused_types};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Lost, Rule, Severity};
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
    let subject = |lost: &Lost<'_>| (lost.used.why == Why::Key).then(|| Subject::new("the key can't be compared any more"));
    out.extend(refused_types(context, &RULE, Severity::Break, subject));
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

#[cfg(test)]
pub(super) const CASES: &str = r#"
# What tells its records apart is unique no more.
before keeper + unique last_name
given keeper/key = ["last_name"]
after keeper - unique last_name
finds risk keeper/key[0]: the key (last_name) is no longer unique: one page may reach several records

# It is no page's key.
before keeper + unique last_name
after keeper - unique last_name
finds nothing

# The database can't compare values of this type.
given keeper/key = ["phone"]
after keeper.phone: json
finds break keeper/key[0]: the key can't be compared any more: json has no order

given keeper/key = ["phone"]
after keeper.phone: jsonb
finds nothing
"#;
