//! SQL or a routine of a person's own no longer works.

use super::shared::{Subject, report_conditions, report_losses, required_absent};
use crate::changes::ChangeKind;
use crate::impact::named::SOURCE_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity, What};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: SOURCE_BROKEN,
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
    to_do: "The merge carries the SQL over a rename. Otherwise it asks whether to set it aside, or to keep it to be fixed by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::Source { part } => Some(Subject::new(format!("the custom {part}"))),
        _ => None,
    });
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.what) {
        (Why::Source { part }, What::WrittenByDatabase { .. } | What::Refused { .. }) => {
            Some(Subject::new(format!("the custom {part} fails")))
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
                    .help("fix `arguments`, or take another routine")
                    .because((cause, Remedy::Hand)),
            );
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/source = { select = "SELECT k.* FROM keeper k JOIN region r ON r.code = k.region_code WHERE r.active = 1 AND k.age > 17" }
after drop keeper.age
finds break keeper/source.select: the custom select fails: `keeper.age` is gone
finds break keeper/source.select of region: the custom select fails: `keeper.age` is gone
finds break keeper/source.select of visit: the custom select fails: `keeper.age` is gone

given keeper/source = { select = "SELECT k.* FROM keeper k JOIN region r ON r.code = k.region_code WHERE r.active = 1 AND k.age > 17" }
after region.active -> in_use
finds break keeper/source.select: the custom select fails: `region.active` is `in_use` now
finds break keeper/source.select of region: the custom select fails: `region.active` is `in_use` now
finds break keeper/source.select of visit: the custom select fails: `region.active` is `in_use` now

given keeper/source = { select = "SELECT k.* FROM keeper k JOIN region r ON r.code = k.region_code WHERE r.active = 1 AND k.age > 17" }
after drop keeper.phone
finds nothing

# A new column with the name that the query gives to something else.
given keeper/source = { select = "SELECT k.*, upper(k.last_name) AS loud FROM keeper k" }
given keeper/field.loud = { column = "loud", kind = "text", read_only = true }
after keeper + loud text
finds break keeper/source.select: the custom select fails: more than one of its tables has a column `loud`
finds break keeper/source.select of region: the custom select fails: more than one of its tables has a column `loud`
finds break keeper/source.select of visit: the custom select fails: more than one of its tables has a column `loud`

# PostgreSQL minds it only where the name is used.
given keeper/source = { select = "SELECT k.*, upper(k.last_name) AS loud FROM keeper k" }
after keeper + loud text
finds nothing

on mariadb
given keeper/source = { select = "SELECT k.*, upper(k.last_name) AS loud FROM keeper k" }
after keeper + loud text
finds break keeper/source.select: the custom select fails: more than one of its tables has a column `loud`
finds break keeper/source.select of region: the custom select fails: more than one of its tables has a column `loud`
finds break keeper/source.select of visit: the custom select fails: more than one of its tables has a column `loud`
"#;
