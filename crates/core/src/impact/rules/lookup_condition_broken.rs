//! A lookup's condition names something gone.

use super::shared::{Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::named::LOOKUP_CONDITION_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: LOOKUP_CONDITION_BROKEN,
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
    elements: &[ElementKind::Condition, ElementKind::Lookup],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The `where` of a lookup names a column or table that the changed schema doesn't have; a risk where the SQL can't be analysed with certainty and mentions a lost name.",
    matters: "The choices can't be read: the form doesn't open.",
    before: "lookup = { entity = \"region\", where = \"active = 1\" }",
    after: "region.active was dropped",
    to_do: "The merge carries the condition over a rename; otherwise nothing can be chosen (`1 = 0`) until you decide, or the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| match why {
        Why::LookupCondition { field } => Some(Subject::new(format!("the condition of lookup `{}`", shown(field))).of_field(field)),
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before routine loud(a.text) sql: SELECT upper($1)
given keeper/field.region_code.lookup.where = "loud(name) = 'X'"
after drop routine loud
finds break keeper/field.region_code.lookup.where: the condition of lookup `region_code` fails: the function `loud` is gone

given keeper/field.region_code.lookup.where = "active = 1"
after region.active -> in_use
finds break keeper/field.region_code.lookup.where: the condition of lookup `region_code` fails: `region.active` is `in_use` now

given keeper/field.region_code.lookup.where = "active = 1"
after region.name -> title
finds nothing
"#;
