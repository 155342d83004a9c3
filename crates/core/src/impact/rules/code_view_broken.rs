//! A view names something gone.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "code/view-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ViewBroken,
        ChangeKind::ViewChanged,
        ChangeKind::TableDropped,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableRenamed,
    ],
    elements: &[ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The database says of a view that it can't be read any more, whether the application shows it or not.",
    matters: "Whatever reads it fails: pages, reports, other views.",
    before: "harvest_by_apiary reads harvest.honey_kg",
    after: "the column is called honey_g",
    to_do: "Have the view made anew in the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for view in context.changed().tables.iter().filter(|t| t.broken.is_some()) {
        let accepted = context.input.accepted.table(context.table_name_before(&view.name));
        // What was broken all along is for `check`.
        if accepted.is_some_and(|t| t.broken.is_some()) {
            continue;
        }
        let reason = view.broken.as_deref().unwrap_or_default();
        let message = format!("the view `{}` can't be read any more: {}", shown(&view.name), shown(reason));
        let cause = context
            .cause(&view.name, None, RULE.changes)
            .or_else(|| context.cause_mentioned(view.definition.as_deref().unwrap_or_default()));
        let entity = context.entities_over(context.table_name_before(&view.name)).first();
        let mut finding = Finding::new(RULE.name, RULE.severity, message).because((cause, Remedy::Hand));
        finding.entity = entity.map(|e| e.name.clone());
        finding.at = entity.map(|e| (&e.table.place).into());
        out.push(finding);
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after grown_up broken no such column: size
finds break grown_up/table: the view `grown_up` can't be read any more: no such column: size

after view grown_up: id integer; last_name text(60) = SELECT id, last_name FROM keeper
finds nothing
"#;
