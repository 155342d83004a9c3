//! The form allows a longer text than the database.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, ElementKind, Finding, Severity};
use crate::impact::{Docs, MetLimits, Rule};

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "value/too-long",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged, ChangeKind::CheckAdded, ChangeKind::CheckDropped, ChangeKind::DomainChanged],
    elements: &[ElementKind::Form],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column's type or a constraint allows fewer characters than before, and fewer than its field's `max_length`; only a note where the engine doesn't enforce the length.",
    matters: "What people type at the end is refused by the database, or cut.",
    before: "max_length = 48 for harvest.jar_label",
    after: "the column became varchar(24)",
    to_do: "The merge lowers the limit where nobody set it, and asks where somebody did.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for MetLimits { met, before, after } in context.met_limits() {
        let Some(longest) = after.longest else { continue };
        let shorter = before.longest.is_none_or(|before| longest < before);
        let forms = context.forms(met.entity, met.field);
        if shorter && met.field.max_length.is_none_or(|max| max > longest) && met.field.choices.is_empty() && !forms.is_empty() {
            let declared = met.after.column_type.size.map(i64::from) == Some(longest);
            let enforced = met.after.column_type.enforced || !declared;
            let allows = met.field.max_length.map_or_else(|| "any number of".to_owned(), |max| max.to_string());
            let end = if enforced {
                format!(", the database takes {longest} now")
            } else {
                format!("; the column is declared for {longest} now, which this engine doesn't enforce")
            };
            let message = format!("the form of `{}` allows {allows} characters{end}", met.name());
            let severity = if enforced { RULE.severity } else { Severity::Note };
            out.push(of_field(&RULE, severity, met, forms, message).settled_by(&["max_length"]));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
after keeper.phone: text(10)
finds risk keeper/field.phone: the form of `phone` allows 20 characters, the database takes 10 now

# SQLite declares it and takes more.
on sqlite
after keeper.phone: text(10)
finds note keeper/field.phone: the form of `phone` allows 20 characters; the column is declared for 10 now, which this engine doesn't enforce

given keeper/field.phone.max_length = 9
after keeper.phone: text(10)
finds nothing
"#;
