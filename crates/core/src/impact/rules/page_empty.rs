//! Nothing is left to show on a page.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::same;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/empty",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnDropped],
    elements: &[ElementKind::Page],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "Every field that a page shows has lost its column.",
    matters: "Once the fields are set aside, the page opens and is empty.",
    before: "fields = [\"queen_mark\"] on a page of colonies",
    after: "colony.queen_mark was dropped",
    to_do: "Place other fields on the page, or take the page out.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        let dropped = met.change.column.as_deref().unwrap_or_default();
        let gone = |field: &str| {
            met.entity
                .field(field)
                .is_some_and(|f| f.is_stored() && f.columns.iter().any(|c| context.column_now(&met.before.name, &c.value).is_none()))
        };
        let holds = |field: &str| met.entity.field(field).is_some_and(|f| f.columns.iter().any(|c| same(&c.value, dropped)));
        for page in &met.entity.pages {
            if page.shown.iter().any(|f| holds(&f.value)) && page.shown.iter().all(|f| gone(&f.value)) {
                let message = "nothing is left to show: every field of the page has lost its column".to_owned();
                out.push(of_entity(&RULE, RULE.severity, &met, message).pages(vec![page.name.clone()]).at(&page.place));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# The bulk page edits nothing else.
given keeper/page.bulk.fields = ["age"]
after drop keeper.age
finds risk keeper/page.bulk: nothing is left to show: every field of the page has lost its column

after drop keeper.age
finds nothing
"#;
