//! A formula names something gone.

use super::shared::{Subject, report_conditions};
use crate::changes::ChangeKind;
use crate::impact::named::FORMULA_BROKEN;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: FORMULA_BROKEN,
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
    detects: "The formula of a field that is shown, listed with a parent, named in a title or exported names a column or table that the changed schema doesn't have.",
    matters: "The database refuses the page's statement.",
    before: "formula = \"julianday('now') - julianday(opened_on)\"",
    after: "opened_on was dropped",
    to_do: "The merge carries the formula over a rename, or sets the field aside until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_conditions(context, &RULE, out, |why| {
        Some(match why {
            Why::Formula { field } => Subject::new(format!("the formula of `{}`", shown(field))).of_field(field),
            Why::ChildField { entity, field, .. } => Subject::new(format!("the formula of `{}.{}`", shown(entity), shown(field))),
            Why::Title { .. } => Subject::new("a formula in the title"),
            Why::Display { field, .. } => Subject::new(format!("a formula shown by `{}`", shown(field))).of_field(field),
            _ => return None,
        })
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before routine loud(a.text) sql: SELECT upper($1)
given keeper/field.shout = { kind = "text", formula = "loud(last_name)" }
given keeper/page.list.fields += "shout"
after drop routine loud
finds break keeper/field.shout.formula: the formula of `shout` fails: the function `loud` is gone

given keeper/field.half = { kind = "number", formula = "age / 2" }
given keeper/page.list.fields += "half"
after drop keeper.age
finds break keeper/field.half.formula: the formula of `half` fails: `keeper.age` is gone

given keeper/field.half = { kind = "number", formula = "age / 2" }
given keeper/page.list.fields += "half"
after drop keeper.born_on
finds nothing
"#;
