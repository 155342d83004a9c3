//! The columns that tell records apart are gone.

use super::shared::{Subject, report_losses};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity, What};
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "page/key-missing",
    severity: Severity::Break,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Key],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column of the entity's key is gone.",
    matters: "No record can be opened, changed or deleted: every page reads the key.",
    before: "key = [\"id\"]",
    after: "the column id was dropped",
    to_do: "After a rename the merge carries the key over; otherwise it takes the key the draft would use, to be checked by hand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_losses(context, &RULE, out, |lost| {
        let is_key = matches!((&lost.used.why, &lost.what), (Why::Key, What::Column { .. }));
        is_key.then(|| Subject::new("the key names a column that is missing"))
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# A view whose key the maintainer chose.
given grown_up/key = ["id"]
after view grown_up: last_name text(60); age integer = SELECT last_name, age FROM keeper
finds break grown_up/key[0]: the key names a column that is missing: `grown_up.id` is gone

given grown_up/key = ["id"]
after view grown_up: id integer; last_name text(60) = SELECT id, last_name FROM keeper
finds nothing
"#;
