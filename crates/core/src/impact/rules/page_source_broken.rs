//! SQL or a routine of a person's own no longer works.

use super::{Docs, Missing, Rule, Subject, missing, report_conditions, required_absent};
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/source-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::RoutineDropped,
        ChangeKind::RoutineChanged,
        ChangeKind::GeneratedChanged,
        ChangeKind::ColumnAdded,
        ChangeKind::BecameRequired,
        ChangeKind::DefaultChanged,
        ChangeKind::TriggerChanged,
        ChangeKind::TriggerDropped,
    ],
    elements: &[ElementKind::Source],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A custom select, insert, update or delete names a table or column that is gone, or calls a routine that is gone or takes other arguments.",
    matters: "The database refuses the statement: nothing can be read, or nothing can be saved.",
    before: "select = \"SELECT a.*, r.code AS region_code FROM apiary a JOIN region r ON r.id = a.region_id\"",
    after: "region.code was dropped",
    to_do: "The merge carries the SQL over a rename. Otherwise it asks whether to set it aside, or to keep it to be mended by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::Source { part } => Some(Subject { what: format!("the custom {part}"), ..Subject::default() }),
        _ => None,
    });
    missing(context, &RULE, out, |lost, fate| match (&lost.used.why, &lost.what) {
        (Why::Source { part }, What::WrittenByDatabase { .. } | What::Refused { .. }) => {
            Some(Missing::new(format!("the custom {part} fails: {fate}")))
        }
        _ => None,
    });
    required_absent(context, &RULE, out, |lost, column| match &lost.used.why {
        Why::Source { part } => Some((None, format!("the custom {part} fails: it gives no value for `{}`", shown(column)))),
        _ => None,
    });
    for lost in context.lost() {
        if let (Why::Source { part }, What::Routine { name, wrong }) = (&lost.used.why, &lost.what) {
            let cause = context.find_object(name);
            out.push(
                Finding::new(RULE.name, RULE.severity, format!("the custom {part} fails: the routine `{}` {wrong}", shown(name)))
                    .entity(&lost.entity.name)
                    .pages(lost.pages.clone())
                    .at(&lost.used.place)
                    .help("mend `arguments`, or take another routine")
                    .because((cause, Remedy::Hand)),
            );
        }
    }
}
