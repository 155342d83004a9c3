//! An import maps a field that is gone, or can't be matched or written.

use super::shared::{Subject, report_conditions, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::{Need, Why};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/import-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::GeneratedChanged,
        ChangeKind::TableKindChanged,
    ],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column that an import matches by, writes or looks up is gone, or the entity's table, key or query; or the database no longer takes what it writes.",
    matters: "The import fails at its first line.",
    before: "columns = { \"Postcode\" = \"postcode\" }",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries renames over; otherwise it sets the mapped heading aside, or the whole import where what it matches by is gone.",
};

fn of_import(import: &str, field: Option<&str>, what: &str) -> Subject {
    Subject { field: field.map(str::to_owned), ..Subject::new(format!("the import `{}`{what}", shown(import))) }
}

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.used.need) {
        (_, Need::Statement { .. } | Need::Condition { .. }) => None,
        (Why::Import { import, field }, _) => Some(of_import(import, field.as_deref(), " fails")),
        _ => None,
    });
    report_conditions(context, &RULE, out, |why| match why {
        Why::Import { import, field } => Some(of_import(import, field.as_deref(), "")),
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name", Call = "phone" } }
after drop keeper.phone
finds break keeper/import.sheet.columns.Call: the import `sheet` fails: `keeper.phone` is gone

given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name", Call = "phone" } }
after drop keeper.born_on
finds nothing
"#;
