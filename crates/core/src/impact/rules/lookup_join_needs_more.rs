//! A join table got a column that every link must fill.

use super::shared::required_absent;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::statements::Why;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "lookup/join-needs-more",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnRenamed,
        ChangeKind::ColumnAdded,
        ChangeKind::BecameRequired,
        ChangeKind::DefaultChanged,
        ChangeKind::GeneratedChanged,
    ],
    elements: &[ElementKind::Related],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The join table of a related set has a NOT NULL column without default beside its links.",
    matters: "Nothing can be linked any more.",
    before: "apiary_helper (apiary_id, keeper_id)",
    after: "apiary_helper gained since DATE NOT NULL",
    to_do: "Give the column a default, or make the join table an entity of its own: the merge can't know its value.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    required_absent(context, &RULE, out, |lost, column| match &lost.used.why {
        Why::Link { field } => Some((
            Some(field.clone()),
            format!("no `{}` can be linked: the join table wants a value for `{}`", shown(field), shown(column)),
        )),
        _ => None,
    });
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after region_helper + since date required
finds break keeper/field.regions.related.through: no `regions` can be linked: the join table wants a value for `since`
finds break region/field.helpers.related.through: no `helpers` can be linked: the join table wants a value for `since`

after region_helper + since date required default today
finds nothing
"#;
