//! A page's condition names something gone.

use super::shared::{Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::named::CONDITION_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: CONDITION_BROKEN,
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
    elements: &[ElementKind::Condition],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A page's `where` names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The database refuses every statement of the page.",
    before: "where = \"closed_on IS NULL\"",
    after: "closed_on was dropped",
    to_do: "The merge carries the condition over a rename; otherwise the page shows no record (`1 = 0`) until you decide, or the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| matches!(why, Why::PageCondition).then(|| Subject::new("the condition")));
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/page.list.where = "age IS NOT NULL"
after drop keeper.age
finds break keeper/page.list.where: the condition fails: `keeper.age` is gone

# A function of the database's own is gone, or takes other arguments. The engine's aren't judged.
before routine loud(a.text) sql: SELECT upper($1)
given keeper/page.list.where = "loud(last_name) <> lower(phone)"
after drop routine loud
finds break keeper/page.list.where: the condition fails: the function `loud` is gone

before routine loud(a.text) sql: SELECT upper($1)
given keeper/page.list.where = "loud(last_name) <> lower(phone)"
after routine loud(a.text,b.text) sql: SELECT upper($1)
finds break keeper/page.list.where: the condition fails: the function `loud` takes other arguments now: a text, b text

before routine loud(a.text) sql: SELECT upper($1)
given keeper/page.list.where = "loud(last_name) <> lower(phone)"
after routine loud(a.text) sql: SELECT upper($1) || '!'
finds nothing

# A text that reads like a name.
given keeper/page.list.where = "'age' IS NOT NULL"
after drop keeper.age
finds nothing
"#;
