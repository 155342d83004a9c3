//! A record title names something gone.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity, What};
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
    for lost in context.lost() {
        let Why::Title { named } = &lost.used.why else { continue };
        let (table, column) = match &lost.what {
            What::Column { table, column } => (table, Some(column.as_str())),
            What::Table { table, .. } => (table, None),
            _ => continue,
        };
        out.push(
            Finding::new(RULE.name, RULE.severity, format!("the title names {{{}}}: {}", shown(named), context.fate(table, column)))
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .at(&lost.used.place)
                .because(context.cause_of_loss(table, column)),
        );
    }
}
