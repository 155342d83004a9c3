//! A label has no translation.

use super::shared::{of_entity, of_translation};
use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};
use crate::name::{same, shown};
use std::collections::BTreeSet;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "label/untranslated",
    severity: Severity::Note,
    changes: &[ChangeKind::ColumnAdded],
    elements: &[ElementKind::Label],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "An entry of a catalogue `app/labels.LANG.po` is empty, or a new column has none.",
    matters: "People who read another language see the label in the definition's own.",
    before: "msgid \"Honey\" with msgstr \"\"",
    after: "the database gained keeper.email_confirmed",
    to_do: "Translate it in the catalogue.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entry in context.input.around.translations.iter().filter(|e| e.text.is_empty()) {
        let message = format!("\"{}\" has no translation", shown(&entry.id));
        out.push(of_translation(context, &RULE, entry, message));
    }
    let languages: BTreeSet<&str> = context.input.around.translations.iter().map(|e| e.language.as_str()).collect();
    if languages.is_empty() {
        return;
    }
    for met in context.met_entities(RULE.changes) {
        let Some(column) = met.change.column.as_deref() else { continue };
        if !met.entity.left_out.iter().any(|c| same(&c.value, column)) {
            let languages: Vec<&str> = languages.iter().copied().collect();
            let message = format!("the new `{}` has no label in {} yet", shown(column), shown(&languages.join(", ")));
            out.push(of_entity(&RULE, RULE.severity, &met, message));
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
translated keeper/field/phone/label: Phone =
finds note app/labels.de.po:4:1 of keeper: "Phone" has no translation

translated keeper/field/phone/label: Phone = Telefon
after keeper + shoe integer
finds note keeper/table: the new `shoe` has no label in de yet

translated keeper/field/phone/label: Phone = Telefon
finds nothing
"#;
