//! A validation over several fields names something gone.

use super::shared::{Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::named::RULE_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: RULE_BROKEN,
    severity: Severity::Break,
    changes: &[
        ChangeKind::TypeChanged,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::RoutineDropped,
        ChangeKind::RoutineChanged,
    ],
    elements: &[ElementKind::Condition, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A `[check]` rule names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The rule is evaluated whenever a record is saved: every save fails.",
    before: "rule = \"closed_on IS NULL OR closed_on >= opened_on\"",
    after: "opened_on was dropped",
    to_do: "The merge carries the rule over a rename; otherwise it is set aside until the column returns, and left to you: nothing it refused is refused meanwhile.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::Check { check } => Some(Subject::new(format!("the rule `{}`", crate::name::shown(check)))),
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before routine loud(a.text) sql: SELECT upper($1)
given keeper/check.quiet = { rule = "loud(last_name) <> last_name" }
after drop routine loud
finds break keeper/check.quiet.rule: the rule `quiet` fails: the function `loud` is gone

given keeper/check.old_enough = { rule = "age IS NULL OR age > 5" }
after drop keeper.age
finds break keeper/check.old_enough.rule: the rule `old_enough` fails: `keeper.age` is gone

given keeper/check.old_enough = { rule = "age IS NULL OR age > 5" }
after drop keeper.phone
finds nothing
"#;
