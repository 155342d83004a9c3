//! A searched column holds no text people could search any more.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::schema::Kind;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/search-type",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Places],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that a page searches became binary, JSON, spatial or another kind whose text nobody types.",
    matters: "The search runs and finds nothing useful.",
    before: "search = [\"notes\"]",
    after: "keeper.notes became jsonb",
    to_do: "Take the field out of `search`, or search a column that holds text.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        if searchable(met.before.column_type.kind) && !searchable(met.after.column_type.kind) {
            let searched = |page: &&crate::definition::Page| page.search.iter().any(|f| f.value == met.field.name);
            let pages: Vec<String> = met.entity.pages.iter().filter(searched).map(|p| p.name.clone()).collect();
            if !pages.is_empty() {
                let message = format!(
                    "`{}` is searched, but is {} now: a search finds nothing useful in it",
                    met.name(),
                    met.after.column_type.shown()
                );
                out.push(of_field(&RULE, RULE.severity, &met, pages, message));
            }
        }
    }
}

/// Whether people know how a value of this kind reads.
fn searchable(kind: Kind) -> bool {
    !matches!(kind, Kind::Binary | Kind::Bits | Kind::Json | Kind::Xml | Kind::Spatial | Kind::Array | Kind::Composite | Kind::Range)
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: bytes
finds risk keeper/field.phone: `phone` is searched, but is bytes now: a search finds nothing useful in it

# Nothing searches it.
after keeper.born_on: bytes
finds nothing
"#;
