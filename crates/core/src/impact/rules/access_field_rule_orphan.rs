//! A role hides or protects a field that is gone.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/field-rule-orphan",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnDropped, ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "`hide` or `read_only` of a role names a field whose column is gone.",
    matters: "A rule that protects nothing is easily lost, and with it the knowledge that something was to be protected.",
    before: "hide = [\"postcode\"]",
    after: "keeper.postcode was dropped",
    to_do: "The merge carries the rule over a rename, or sets it aside and puts it back with the column.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entity in context.entities() {
        let Some(table) = context.changed().table(&entity.table.value).filter(|t| t.broken.is_none()) else { continue };
        for access in &entity.access {
            for (rule, named) in access.hide.iter().map(|f| ("hides", f)).chain(access.read_only.iter().map(|f| ("protects", f))) {
                let Some(field) = entity.field(&named.value) else { continue };
                // Where it has a new name, access/protection-lost tells more.
                let gone = |column: &str| !table.reads(column) && same(context.name_now(&table.name, column), column);
                if let Some(column) = field.columns.iter().find(|c| gone(&c.value)) {
                    out.push(
                        Finding::new(RULE.name, RULE.severity, format!("role `{}` {rule} `{}`", shown(&access.role), shown(&field.name)))
                            .with_fate(&context.fate(&table.name, Some(&column.value)))
                            .entity(&entity.name)
                            .field(&field.name)
                            .role(&access.role)
                            .at(&named.place)
                            .because(context.cause_of_loss(&table.name, Some(&column.value))),
                    );
                }
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after drop keeper.phone
finds risk keeper/access.guest.hide[0]: role `guest` hides `phone`: `keeper.phone` is gone

after drop keeper.age
finds nothing
"#;
