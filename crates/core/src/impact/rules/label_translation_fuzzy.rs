//! A translation of what was said before.

use super::shared::of_translation;
use crate::impact::named::TRANSLATION_FUZZY;
use crate::impact::to_translate;
use crate::impact::{Context, Docs, ElementKind, Finding, Rule, Severity};

/// See [`DOCS`].
pub static RULE: Rule =
    Rule { name: TRANSLATION_FUZZY, severity: Severity::Note, changes: &[], elements: &[ElementKind::Label], docs: DOCS, check };

const DOCS: Docs = Docs {
    detects: "An entry of a catalogue is marked fuzzy: its text was translated from another one.",
    matters: "The translation may no longer say what the label says.",
    before: "#, fuzzy above msgid \"Postal code\"",
    after: "nothing: it is so in the catalogue",
    to_do: "Look at it, and take the mark away.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for entry in context.input.around.translations.iter().filter(|e| e.fuzzy) {
        let message = to_translate(entry).finding.message;
        out.push(of_translation(context, &RULE, entry, message));
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
fuzzy keeper/field/phone/label: Phone = Fax
finds note app/labels.de.po:4:1 of keeper: "Phone" is translated as "Fax", which was said of another text

translated keeper/field/phone/label: Phone = Fax
finds nothing
"#;
