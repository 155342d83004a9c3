//! A record title names something gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/title-broken",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The title of an entity names a field whose column or table is gone.",
    matters: "Pages that show one record are refused.",
    before: "title = \"{tag} at {apiary.name}\"",
    after: "hive.tag is called hive_no",
    to_do: "After a rename the merge carries it over; otherwise the draft's title takes its place until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::Title { named }, What::Column { .. } | What::Table { .. }) => {
            Some(Subject::new(format!("the title names {{{}}}", shown(named))))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.last_name -> surname
finds break keeper/title: the title names {last_name}: `keeper.last_name` is `surname` now
finds break keeper/title of visit: the title names {keeper}: `keeper.last_name` is `surname` now

# Braces that are text.
given keeper/title = "{{last_name}}, {age}"
after keeper.last_name -> surname
finds nothing
"#;
