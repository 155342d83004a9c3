//! A view reads other tables, or other records, than it did.

use super::shared::of_entity;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::sql;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/view-changed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ViewChanged],
    elements: &[ElementKind::Page, ElementKind::Condition, ElementKind::Places, ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The statement of a view behind an entity has other tables, another condition or another grouping.",
    matters: "Its pages go on working and show more, fewer or other records, which nobody asked for.",
    before: "harvest_by_apiary grouped by yard and season",
    after: "it is grouped by yard alone",
    to_do: "Look at what the view returns now; ask who changed it and why.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_entities(RULE.changes) {
        let texts = met.before.definition.as_deref().zip(met.after.definition.as_deref());
        let Some((before, after)) = texts else { continue };
        let engine = context.changed().engine;
        let Some((old, new)) = sql::outline(before, engine).zip(sql::outline(after, engine)) else { continue };
        let parts = [
            ("reads from", "nothing", &old.from, &new.from),
            ("shows records where", "(any)", &old.condition, &new.condition),
            ("groups records by", "nothing", &old.grouping, &new.grouping),
        ];
        for (what, none, old, new) in parts {
            if !sql::says_same(old, new, engine, |a, b| context.may_turn(a, b)) {
                let told = |text: &str| if text.is_empty() { none.to_owned() } else { shown(text) };
                let message = format!("the view {what} {} now (before: {}): it may show other records", told(new), told(old));
                let pages = met.entity.pages.iter().map(|p| p.name.clone()).collect();
                out.push(of_entity(&RULE, RULE.severity, &met, message).pages(pages));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after view grown_up: id integer; last_name text(60); age integer = SELECT id, last_name, age FROM keeper WHERE age > 17
finds risk grown_up/table: the view shows records where age > 17 now (before: (any)): it may show other records

# The same records, told otherwise.
after view grown_up: id integer; last_name text(60); age integer = SELECT id, last_name, age + 0 AS age FROM keeper
finds nothing
"#;
