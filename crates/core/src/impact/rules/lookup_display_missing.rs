//! What a lookup shows is gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/display-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Lookup, ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The template a lookup shows (its `show`, or the target's title) or its order names a field whose column or table is gone.",
    matters: "The shown text can't be read: lists and forms with the lookup fail.",
    before: "lookup = { entity = \"keeper\", show = \"{last_name}\" }",
    after: "keeper.last_name is called surname",
    to_do: "After a rename the merge carries it over; otherwise the draft's text takes its place.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::Display { field, named }, What::Column { .. } | What::Table { .. }) => {
            Some(Subject::new(format!("lookup `{}` shows {{{}}}", shown(field), shown(named))).of_field(field))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after region.name -> title
finds break region/title of keeper: lookup `region_code` shows {name}: `region.name` is `title` now
finds break region/title of keeper: lookup `regions` shows {name}: `region.name` is `title` now

after region.active -> in_use
finds nothing
"#;
