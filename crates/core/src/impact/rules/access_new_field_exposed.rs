//! A new column appears where a role is restricted by field.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/new-field-exposed",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnAdded],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "An entity has a new column, and a role there has `hide` or `read_only`.",
    matters: "Whoever hides some fields from a role chose what it may see; a field that came later was never chosen.",
    before: "hide = [\"phone\"]",
    after: "the database gained keeper.iban",
    to_do: "The merge puts the new field into that role's `hide`; take it out by hand where the role may see it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for (cause, change) in context.input.comparison.changes.iter().enumerate() {
        let (ChangeKind::ColumnAdded, Some(column)) = (change.kind, &change.column) else { continue };
        let table = context.input.comparison.presumed();
        for entity in context.entities().filter(|e| same(&e.table.value, &change.table) || same(table.table(&change.table), &e.table.value))
        {
            for access in entity.access.iter().filter(|a| a.restricted && a.read) {
                out.push(
                    Finding::new(
                        RULE.name,
                        RULE.severity,
                        format!("`{}` is new, and role `{}` is restricted by field here", shown(column), shown(&access.role)),
                    )
                    .entity(&entity.name)
                    .role(&access.role)
                    .at(&access.place)
                    .because((Some(cause), Remedy::Merge)),
                );
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + shoe_size integer
finds risk keeper/access.guest: `shoe_size` is new, and role `guest` is restricted by field here

# Nothing is kept from the role: a new field isn't either.
given keeper/access.guest.hide gone
given keeper/access.guest.read_only gone
after keeper + shoe_size integer
finds nothing
"#;
