//! A role's row filter names something gone.

use super::shared::{Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::named::ROW_FILTER_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: ROW_FILTER_BROKEN,
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
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The `rows` of a role names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The role's pages fail; dropping the filter instead would show the role everything.",
    before: "rows = \"keeper_id = :user_keeper\"",
    after: "keeper_id was dropped",
    to_do: "The merge carries the filter over a rename; otherwise the role sees no record at all (`1 = 0`) until a person decides.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::Rows { role } => {
            Some(Subject { role: Some(role.clone()), ..Subject::new(format!("the row filter of role `{}`", shown(role))) })
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before routine loud(a.text) sql: SELECT upper($1)
given keeper/access.guest.rows = "loud(last_name) <> last_name"
after drop routine loud
finds break keeper/access.guest.rows: the row filter of role `guest` fails: the function `loud` is gone

after drop keeper.age
finds break keeper/access.guest.rows: the row filter of role `guest` fails: `keeper.age` is gone

# In SQL that can't be analysed with certainty.
given keeper/access.guest.rows = "id IN (SELECT value FROM json_each('[1]') WHERE age > 17)"
after drop keeper.age
finds risk keeper/access.guest.rows: the row filter of role `guest` may fail: it mentions `age`, which is gone, in SQL that can't be

given keeper/access.guest.rows = "id IN (SELECT value FROM json_each('[1]') WHERE age > 17)"
after drop keeper.phone
finds nothing

# A number is compared with what is a date now.
after keeper.age: date
finds break keeper/access.guest.rows: the row filter of role `guest` fails: `keeper.age` has another type now (date with the number 17)

given keeper/access.guest.rows gone
after drop keeper.age
finds nothing
"#;
