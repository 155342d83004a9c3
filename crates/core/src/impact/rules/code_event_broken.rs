//! What the database does by the clock names something gone.

use super::shared::{fate, program_names};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::shown;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "code/event-broken",
    severity: Severity::Risk,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::RoutineDropped,
    ],
    elements: &[ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The statement of an event that is switched on has an old name together with its table. Databases don't look into it when a column is renamed.",
    matters: "It fails at night, in a log that nobody reads.",
    before: "an event deletes from visit where note IS NULL",
    after: "visit.note is called remark",
    to_do: "Have the event made anew in the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for event in context.changed().objects.events.iter().filter(|e| !e.off) {
        if let Some((at, _)) = program_names(context, &event.body, None) {
            let message = format!("the event `{}` probably names what is gone", shown(&event.name));
            out.push(Finding::new(RULE.name, RULE.severity, message).with_fate(&fate(context, at)).because((Some(at), Remedy::Hand)));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before event tidy: DELETE FROM keeper WHERE phone IS NULL
after keeper.phone -> mobile
finds risk: the event `tidy` probably names what is gone: `keeper.phone` is `mobile` now

before off event tidy: DELETE FROM keeper WHERE phone IS NULL
after keeper.phone -> mobile
finds nothing
"#;
