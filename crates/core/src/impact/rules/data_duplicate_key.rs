//! Records that share what tells them apart.

use super::shared::report_counts;
use crate::changes::ChangeKind;
use crate::impact::named::DUPLICATE_KEY;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: DUPLICATE_KEY,
    severity: Severity::Risk,
    changes: &[ChangeKind::UniqueDropped, ChangeKind::PrimaryKeyChanged],
    elements: &[ElementKind::Key, ElementKind::Lookup, ElementKind::Exchange, ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "With `--data`: records share their key, a `unique` field, the value of lookups or the key of an import, where the database doesn't keep them unique.",
    matters: "One page reaches several records; lists show one twice.",
    before: "key = [\"member_no\"]",
    after: "two keepers share a number",
    to_do: "Mend the values, then have the constraint put back.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    report_counts(context, &RULE, out);
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/key = ["last_name"]
counted 2
after visit.note: text(60)
finds risk keeper/key[0]: 2 of 10 records share their key (last_name)

counted 2
after visit.note: text(60)
finds nothing
"#;
