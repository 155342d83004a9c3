//! An import doesn't give a column the database insists on.

use super::shared::required_absent;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "exchange/import-misses-required",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnRenamed,
        ChangeKind::ColumnAdded,
        ChangeKind::BecameRequired,
        ChangeKind::DefaultChanged,
        ChangeKind::GeneratedChanged,
    ],
    elements: &[ElementKind::Exchange],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column is NOT NULL without a default, and the import maps nothing to it; or a new record of a lookup needs more than the text it is shown by.",
    matters: "No new record can be imported.",
    before: "columns = { \"Name\" = \"name\" }",
    after: "keeper gained joined_on DATE NOT NULL",
    to_do: "Map a heading to its field, or give the column a default.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    required_absent(context, &RULE, out, |lost, column| match &lost.used.why {
        Why::Import { import, field } => {
            let whose = field.as_ref().map_or_else(String::new, |f| format!(" for a new `{}`", shown(f)));
            Some((field.clone(), format!("the import `{}` gives no value for `{}`{whose}", shown(import), shown(column))))
        }
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name", Call = "phone" } }
after keeper + iban text required
finds break keeper/import.sheet: the import `sheet` gives no value for `iban`

given keeper/import.sheet = { key = ["last_name"], columns = { Name = "last_name", Call = "phone" } }
after keeper + iban text
finds nothing
"#;
