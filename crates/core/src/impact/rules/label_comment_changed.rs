//! The comment that a help text was drafted from changed.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/comment-changed",
    severity: Severity::Note,
    changes: &[ChangeKind::CommentChanged],
    elements: &[ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The database says something else of a column whose field has a help text.",
    matters: "People read below the field what the database no longer says.",
    before: "help = \"Weight of the honey in kilograms\"",
    after: "the comment says grams now",
    to_do: "The merge follows the comment where nobody rewrote the help text; else compare the two.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(RULE.changes) {
        let Some(help) = &met.field.help else { continue };
        let now = met.change.after.as_deref().map_or_else(|| "nothing".to_owned(), |text| format!("\"{}\"", shown(text)));
        let message = format!("the database says {now} of `{}` now; its help text says \"{}\"", met.name(), shown(&help.value));
        let pages = context.pages_with(met.entity, &met.field.name, |_| true);
        out.push(of_field(&RULE, RULE.severity, &met, pages, message).at(&help.place).settled_by(&["help"]));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A help text that a person wrote, of a comment that says something else now.
given keeper/field.phone.help = "Call here"
after keeper.phone: text(20) comment 'At night'
finds note keeper/field.phone.help: the database says "At night" of `phone` now; its help text says "Call here"

after keeper.phone: text(20) comment 'At night'
finds nothing
"#;
