//! An export writes a field that is gone.

use super::shared::{Subject, report_conditions, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::{Need, Why};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/export-broken",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed, ChangeKind::TableDropped, ChangeKind::TableRenamed],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A field that an export writes has lost its column, or what it shows; or the entity's table, key or query is gone.",
    matters: "The export can't be made.",
    before: "fields = [\"name\", \"postcode\"]",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries renames over; otherwise it sets the field aside from the export until the column returns.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| match (&lost.used.why, &lost.used.need) {
        (_, Need::Statement { .. } | Need::Condition { .. }) => None,
        (Why::Export { export, field: Some(field) }, _) => {
            Some(Subject::new(format!("the export `{}` can't write `{}`", shown(export), shown(field))).of_field(field))
        }
        (Why::Export { export, field: None }, _) => Some(Subject::new(format!("the export `{}` can't be made", shown(export)))),
        _ => None,
    });
    report_conditions(context, &RULE, out, |why| match why {
        Why::Export { export, field } => Some(Subject { field: field.clone(), ..Subject::new(format!("the export `{}`", shown(export))) }),
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/export.all = { fields = ["last_name", "phone"] }
after drop keeper.phone
finds break keeper/export.all.fields[1]: the export `all` can't write `phone`: `keeper.phone` is gone

given keeper/export.all = { fields = ["last_name", "phone"] }
after drop keeper.born_on
finds nothing
"#;
