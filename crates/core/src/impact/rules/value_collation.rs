//! Texts are compared and sorted in another way.

use super::shared::{of_entity, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/collation",
    severity: Severity::Note,
    changes: &[ChangeKind::CollationChanged],
    elements: &[ElementKind::Places, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The collation changed of a column that a page searches, filters or sorts by, or of its table.",
    matters: "Lists come in another order; a search finds small and capital letters alike, or no longer.",
    before: "sort = [\"last_name\"]",
    after: "the collation of last_name became binary",
    to_do: "Look at the lists; nothing has to be done in the definition.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let pages: Vec<String> =
            met.entity.pages.iter().filter(|p| !p.uses_of(&met.field.name).is_empty()).map(|p| p.name.clone()).collect();
        if !pages.is_empty() {
            let now = met.change.after.as_deref().unwrap_or("the database's own");
            let message = format!("`{}` is compared and sorted by {} now", met.name(), shown(now));
            out.push(of_field(&RULE, RULE.severity, &met, pages, message));
        }
    }
    for met in context.met_entities(RULE.changes).into_iter().filter(|m| m.change.column.is_none()) {
        let now = met.change.after.as_deref().unwrap_or("the database's own");
        let pages = met.entity.pages.iter().filter(|p| !p.search.is_empty() || !p.sort.is_empty()).map(|p| p.name.clone()).collect();
        out.push(of_entity(&RULE, RULE.severity, &met, format!("texts are compared and sorted by {} now", shown(now))).pages(pages));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: text(20) collate NOCASE
finds note keeper/field.phone: `phone` is compared and sorted by NOCASE now

# Nothing searches or sorts by it.
given keeper/page.list.search = ["last_name"]
given keeper/page.list.sort = ["last_name"]
after keeper.phone: text(20) collate NOCASE
finds nothing
"#;
