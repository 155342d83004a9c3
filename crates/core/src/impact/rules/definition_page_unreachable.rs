//! A page that nobody can open.

use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::shown;
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "definition/page-unreachable",
    severity: Severity::Note,
    changes: &[],
    elements: &[ElementKind::Access, ElementKind::Menu],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "No role may use a page, or nothing leads to its entity: no menu entry, no lookup, no child list, no related set.",
    matters: "It is kept up for nothing; or somebody was to have it and has not.",
    before: "[page.bulk] where no role has edit",
    after: "nothing: it is so in the definition",
    to_do: "Grant it to somebody, put it in the menu, or take it out.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    if !context.input.is_check() {
        return;
    }
    let app = &context.model.app;
    let mut led: BTreeSet<&str> = app.menu.iter().flat_map(|g| &g.items).filter_map(|i| i.value.split('/').next()).collect();
    for entity in context.entities() {
        led.extend(entity.fields.iter().filter_map(|f| f.lookup.as_ref()).map(|l| l.entity.value.as_str()));
        led.extend(entity.fields.iter().filter_map(|f| f.related.as_ref()).map(|r| r.entity.value.as_str()));
        led.extend(entity.pages.iter().flat_map(|p| &p.children).map(|c| c.entity.value.as_str()));
    }
    let note = |message: String| Finding::new(RULE.name, RULE.severity, message).because((None, Remedy::None));
    for entity in context.entities() {
        if !app.menu.is_empty() && !led.contains(entity.name.as_str()) {
            out.push(
                note(format!("nothing leads to `{}`: no menu entry, lookup or list", shown(&entity.name)))
                    .entity(&entity.name)
                    .at(&entity.place),
            );
        }
        for page in entity.pages.iter().filter(|_| !app.roles.is_empty()) {
            let used = entity.access.iter().any(|a| app.roles.contains_key(&a.role) && a.allows(page));
            // Where the entity is open to nobody at all, that is what is told, once.
            if !used {
                out.push(
                    note(format!("no role may use the page `{}`", shown(&page.name)))
                        .entity(&entity.name)
                        .pages(vec![page.name.clone()])
                        .at(&page.place),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/access.everyone = { read = true, add = true }
finds note keeper/page.edit: no role may use the page `edit`
finds note keeper/page.bulk: no role may use the page `bulk`

given keeper/access.everyone = { read = true, add = true, edit = true, delete = true }
finds nothing
"#;
