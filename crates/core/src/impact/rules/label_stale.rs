//! A label written by hand still speaks of the old name or unit.

use super::shared::of_field;
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::shown;
use crate::name::words;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/stale",
    severity: Severity::Risk,
    changes: &[ChangeKind::ColumnRenamed],
    elements: &[ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "A column was renamed, or its unit changed, and the label, help text or unit that a person wrote has a word that only the old name had.",
    matters: "People read the old word for what is something else now, such as kilograms over grams.",
    before: "label = \"Honey (kg)\" for honey_kg",
    after: "the column is called honey_g",
    to_do: "Rewrite the label; the merge keeps it, since a person wrote it.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for met in context.met_fields(&[ChangeKind::ColumnRenamed]) {
        let new = words(&met.after.name);
        let old: Vec<String> = words(&met.before.name).into_iter().filter(|w| !new.contains(w)).collect();
        let written = [("label", met.field.label.as_ref()), ("help", met.field.help.as_ref()), ("unit", met.field.unit.as_ref())];
        for (what, text) in written {
            let Some(text) = text else { continue };
            let spoken: Vec<String> = text.value.split(|c: char| !c.is_alphanumeric()).map(str::to_lowercase).collect();
            if let Some(word) = old.iter().find(|w| spoken.contains(w)) {
                let message = format!(
                    "the {what} \"{}\" still says \"{}\": `{}` is called `{}` now",
                    shown(&text.value),
                    shown(word),
                    shown(&met.before.name),
                    shown(&met.after.name)
                );
                let pages = context.pages_with(met.entity, &met.field.name, |_| true);
                let keys: &'static [&'static str] = match what {
                    "label" => &["label"],
                    "help" => &["help"],
                    _ => &["unit"],
                };
                out.push(of_field(&RULE, RULE.severity, &met, pages, message).at(&text.place).settled_by(keys));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
given keeper/field.phone.label = "Phone line"
after keeper.phone -> mobile
finds risk keeper/field.phone.label: the label "Phone line" still says "phone": `phone` is called `mobile` now

given keeper/field.phone.label = "Call me"
after keeper.phone -> mobile
finds nothing
"#;
