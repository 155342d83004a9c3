//! A name differs by case alone now, or needs quotes.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::is_plain;
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/name-case",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnRenamed, ChangeKind::TableRenamed],
    elements: &[ElementKind::Page, ElementKind::Source, ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A table or column was renamed to what differs from the old name only by case, or to a name that SQL takes only in quotes.",
    matters: "The application quotes every name; reports, scripts and people often don't, and then reach nothing or something else.",
    before: "keeper.postcode",
    after: "it is called \"PostCode\" now",
    to_do: "The merge carries the name over in the definition; look at hand-written SQL and code.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for (at, change) in context.changes(RULE.changes) {
        let Some(new) = &change.to else { continue };
        let old = change.column.as_ref().unwrap_or(&change.table);
        // PostgreSQL folds what isn't quoted to small letters.
        let bare = |name: &str| is_plain(name) && !(context.changed().engine.tells_case() && name.chars().any(char::is_uppercase));
        let message = if same(old, new) && context.changed().engine.tells_case() {
            format!("`{}` is called `{}` now, which differs by case alone", shown(old), shown(new))
        } else if bare(old) && !bare(new) {
            format!("`{}` is called `{}` now, which SQL takes only in quotes", shown(old), shown(new))
        } else {
            continue;
        };
        for entity in context.entities_over(&change.table) {
            let field = entity.fields.iter().find(|f| change.column.as_ref().is_some_and(|c| f.columns.iter().any(|k| same(&k.value, c))));
            let place = field.map_or(&entity.table.place, |f| &f.place);
            let mut finding = Finding::new(RULE.name, RULE.severity, message.clone()).entity(&entity.name).at(place);
            finding.field = field.map(|f| f.name.clone());
            out.push(finding.because((Some(at), Remedy::Hand)));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone -> Phone
finds risk keeper/field.phone: `phone` is called `Phone` now, which differs by case alone

after keeper.phone -> mobile-no
finds risk keeper/field.phone: `phone` is called `mobile-no` now, which SQL takes only in quotes

after keeper.phone -> phone_no
finds nothing
"#;
