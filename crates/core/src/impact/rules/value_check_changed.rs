//! A constraint that no form knows of.

use super::shared::{of_entity, of_field};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{contains, shown};
use crate::sql;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/check-changed",
    severity: Severity::Risk,
    changes: &[
        ChangeKind::CheckAdded,
        ChangeKind::CheckDropped,
        ChangeKind::ExclusionAdded,
        ChangeKind::ExclusionDropped,
        ChangeKind::DomainChanged,
    ],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A CHECK or EXCLUDE constraint came that says more than choices, bounds and lengths of single fields; a note where one went.",
    matters: "The form accepts what the database refuses.",
    before: "apiary without a constraint on its dates",
    after: "CHECK (closed_on >= opened_on) was added",
    to_do: "Write a `[check]` rule with a message that people understand.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let limits = context.met_limits();
    for met in context.met_entities(RULE.changes) {
        let pages = met.entity.saving_pages();
        // What is told of single fields isn't told twice; nor is a constraint that another took the place of.
        let text = met.change.before.as_ref().or(met.change.after.as_ref()).map_or("", String::as_str);
        let about: Vec<String> = sql::limits(text, context.changed().engine).into_iter().map(|(column, _)| column).collect();
        let of_column = |column: &str| contains(&about, context.name_now(&met.before.name, column));
        let told = limits.iter().any(|l| {
            l.met.entity.name == met.entity.name && (l.met.at == met.at || l.met.field.columns.iter().any(|c| of_column(&c.value)))
        });
        if pages.is_empty() || told {
            continue;
        }
        let (severity, message) = match (&met.change.before, &met.change.after) {
            (None, Some(after)) => (RULE.severity, format!("a new constraint that no form knows of: {}", shown(after))),
            (Some(before), None) => (Severity::Note, format!("a constraint is gone: {}", shown(before))),
            _ => continue,
        };
        out.push(of_entity(&RULE, severity, &met, message).pages(pages));
    }
    for met in context.met_fields(&[ChangeKind::DomainChanged]) {
        let forms = context.forms(met.entity, met.field);
        let told = limits.iter().any(|l| l.met.at == met.at && l.met.field.name == met.field.name);
        if !forms.is_empty() && !told {
            let message = format!(
                "the domain of `{}` says something else now: {}",
                met.name(),
                shown(met.change.after.as_deref().unwrap_or_default())
            );
            out.push(of_field(&RULE, RULE.severity, &met, forms, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper + check age > 17 OR phone IS NOT NULL
finds risk keeper/table: a new constraint that no form knows of: age > 17 OR phone IS NOT NULL

# A limit, which another rule tells.
after keeper + check age >= 1
finds nothing
"#;
