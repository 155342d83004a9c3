//! What a page searches, filters, sorts or lists by lost its index.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/index-lost",
    severity: Severity::Risk,
    changes: &[ChangeKind::IndexDropped, ChangeKind::UniqueDropped, ChangeKind::PrimaryKeyChanged],
    elements: &[ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column that a page searches, filters, sorts or groups by, or the link of a child list, was the first of an index, and no index begins with it now.",
    matters: "The page works and gets slower with every record, until somebody complains.",
    before: "filter = [\"keeper\"]",
    after: "the index on apiary.keeper_id was dropped",
    to_do: "Have the index put back, or take the field out of what the page filters and sorts by.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut told: BTreeSet<(&str, &str)> = BTreeSet::new();
    for met in context.met_entities(RULE.changes) {
        for field in &met.entity.fields {
            let Some(column) = field.columns.first() else { continue };
            let now = context.columns_now(&met.before.name, std::slice::from_ref(&column.value));
            let lost = now.first().is_some_and(|now| met.after.column(now).is_some() && !met.after.is_indexed(now));
            if !lost || !met.before.is_indexed(&column.value) || !told.insert((&met.entity.name, &field.name)) {
                continue;
            }
            let (mut pages, mut places) = (Vec::new(), BTreeSet::new());
            for page in &met.entity.pages {
                let used = page.uses_of(&field.name);
                if !used.is_empty() {
                    pages.push(page.name.clone());
                    places.extend(used.into_iter().map(str::to_owned));
                }
            }
            if !pages.is_empty() {
                let message =
                    format!("no index begins with `{}` any more: the more records there are, the slower the page gets", shown(&field.name));
                let mut finding = of_entity(&RULE, RULE.severity, &met, message).field(&field.name).pages(pages).at(&field.place);
                finding.places = places.into_iter().collect();
                out.push(finding);
            }
            for (parent, page) in context.child_lists(&met.entity.name, &field.name) {
                let message = format!(
                    "no index begins with `{}` any more: the list of `{}` gets slower the more records there are",
                    shown(&field.name),
                    shown(&met.entity.name)
                );
                out.push(
                    of_entity(&RULE, RULE.severity, &met, message).entity(&parent.name).pages(vec![page.name.clone()]).at(&page.place),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before keeper + index born_on
given keeper/page.list.filter = ["born_on"]
given keeper/page.list.sort = ["last_name"]
after keeper - index born_on
finds risk keeper/field.born_on: no index begins with `born_on` any more: the more records there are, the slower the page gets

# Nothing filters or sorts by it.
before keeper + index born_on
given keeper/page.list.filter = []
given keeper/page.list.sort = ["last_name"]
given keeper/page.bulk.filter = []
after keeper - index born_on
finds nothing
"#;
