//! An add page leaves out a column the database insists on.

use super::{Docs, Rule};
use crate::changes::ChangeKind;
use crate::impact::{Context, Finding, Remedy, Severity, What};
use crate::name::{same, shown};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule { name: "page/required-column-absent", severity: Severity::Break, docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "A column is NOT NULL without a default, and an add page doesn't give it a value.",
    matters: "Every save of the page is refused.",
    before: "an add page for inspections",
    after: "the database gained inspection.weather TEXT NOT NULL",
    to_do: "The merge asks where the new field goes; an existing field that is hidden has to be shown, or the column given a default.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for lost in context.lost() {
        if let (Why::Save, What::RequiredAbsent { table, column }) = (&lost.used.why, &lost.what) {
            let added = context.cause(table, Some(column), &[ChangeKind::ColumnAdded]);
            let field = lost.entity.fields.iter().find(|f| f.columns.iter().any(|c| same(&c.value, column)));
            let cause = added.or_else(|| {
                context.cause(
                    table,
                    Some(column),
                    &[ChangeKind::BecameRequired, ChangeKind::DefaultChanged, ChangeKind::GeneratedChanged, ChangeKind::ColumnRenamed],
                )
            });
            let remedy = if added.is_some() { Remedy::Ask } else { Remedy::Hand };
            let how = match field {
                Some(field) if field.hidden => format!(", and its field `{}` is hidden", shown(&field.name)),
                _ => String::new(),
            };
            out.push(
                Finding::new(
                    RULE.name,
                    RULE.severity,
                    format!("no record can be added: `{}` must have a value and the page gives none{how}", shown(column)),
                )
                .entity(&lost.entity.name)
                .pages(lost.pages.clone())
                .at(&lost.used.place)
                .help("place its field on the page, or give the column a default")
                .because((cause, remedy)),
            );
        }
    }
}
