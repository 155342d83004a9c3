//! SQL of the definition that is too long or too deep to be looked into.

use crate::definition::{Entity, Spanned};
use crate::impact::{Context, Docs, Finding, Remedy, Rule, Severity};
use crate::sql;

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "definition/sql-too-deep", severity: Severity::Note, changes: &[], elements: &[], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A condition, a formula or a statement that is too long or too deeply nested to be analysed.",
    matters: "What it names isn't known: a change that breaks it is told as a risk at most, and a rename isn't carried into it.",
    before: "rows = \"id = 1 OR id = 2 OR …\" with hundreds of alternatives",
    after: "(nothing changed)",
    to_do: "Write it shorter: IN (…) instead of a chain of OR, a view instead of a long query.",
};

/// The pieces of SQL in an entity's file.
fn pieces(entity: &Entity) -> impl Iterator<Item = &Spanned<String>> {
    let fields = entity.fields.iter().flat_map(|f| f.formula.iter().chain(f.lookup.as_ref().and_then(|l| l.condition.as_ref())));
    let checks = entity.checks.iter().filter_map(|c| c.rule.as_ref());
    let pages = entity.pages.iter().filter_map(|p| p.condition.as_ref());
    let rows = entity.access.iter().filter_map(|a| a.rows.as_ref());
    let source = &entity.source;
    let writes = [&source.insert, &source.update, &source.delete].into_iter().flatten().filter_map(|w| w.sql.as_ref());
    fields.chain(checks).chain(pages).chain(rows).chain(&source.select).chain(writes)
}

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    if !context.input.is_check() {
        return;
    }
    for entity in context.entities() {
        for text in pieces(entity).filter(|text| sql::is_too_deep(&text.value, context.changed().engine)) {
            let mut finding = Finding::new(RULE.name, RULE.severity, format!("{}: what it names isn't known", sql::TOO_DEEP))
                .entity(&entity.name)
                .at(&text.place);
            finding.remedy = Remedy::None;
            out.push(finding);
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/access.guest.rows = "age > 17" nested 300
finds note keeper/access.guest.rows: it is too long or too deeply nested to be analysed: what it names isn't known

given keeper/access.guest.rows = "((age > 17))"
finds nothing
"#;
