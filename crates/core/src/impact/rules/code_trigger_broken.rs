//! A trigger names something gone.

use super::shared::{fate, program_names};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "code/trigger-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TriggerAdded,
        ChangeKind::TriggerChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
    ],
    elements: &[ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The database says of a trigger that it can't be compiled; or its text has an old name together with its table: a break where it names a column of its own record, else a risk.",
    matters: "The writes it answers are refused, or fail when they happen.",
    before: "a trigger writes OLD.honey_kg to a log",
    after: "the column is called honey_g",
    to_do: "Have the trigger made anew in the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for (table, trigger) in context.changed().tables.iter().flat_map(|t| t.triggers.iter().map(move |g| (t, g))).filter(|(_, g)| !g.off) {
        let entity = context.entities_over(context.table_name_before(&table.name)).first();
        let mut report = |finding: Finding, cause| {
            let mut finding = finding.because((cause, Remedy::Hand));
            finding.entity = entity.map(|e| e.name.clone());
            finding.at = entity.map(|e| (&e.table.place).into());
            out.push(finding);
        };
        if let Some(reason) = &trigger.broken {
            let before = context.input.accepted.table(context.table_name_before(&table.name));
            let was = before.is_some_and(|t| t.triggers.iter().any(|g| same(&g.name, &trigger.name) && g.broken.is_some()));
            if !was {
                let cause = context
                    .cause(&table.name, None, &[ChangeKind::TriggerAdded, ChangeKind::TriggerChanged])
                    .or_else(|| context.cause_mentioned(&trigger.definition));
                let message = format!("the trigger `{}` can't be compiled: {}", shown(&trigger.name), shown(reason));
                report(Finding::new(RULE.name, RULE.severity, message), cause);
            }
        } else if let Some((at, own)) = program_names(context, &trigger.definition, Some(&table.name)) {
            let severity = if own { RULE.severity } else { Severity::Risk };
            let sure = if own { "names" } else { "probably names" };
            let message = format!("the trigger `{}` {sure} what is gone", shown(&trigger.name));
            report(Finding::new(RULE.name, severity, message).with_fate(&fate(context, at)), Some(at));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after broken trigger t on keeper: INSERT INTO nowhere VALUES (1)
finds break keeper/table: the trigger `t` can't be compiled: no such table

after trigger t on keeper: UPDATE region SET active = 1
finds nothing
"#;
