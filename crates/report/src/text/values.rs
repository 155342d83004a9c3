//! Values of records as people read them.

use ysomorph_core::drawing::{Drawing, DrawnField};
use ysomorph_core::name::shown;

/// Whether values of a field mean nothing when they are cut: a day, an amount.
pub(super) fn is_exact(field: &DrawnField) -> bool {
    ["boolean", "date", "time", "date-time", "duration", "percent", "money", "number", "decimal"].contains(&field.kind.as_str())
}

/// A value on one line, a choice by its label, a truth as yes or no.
pub(super) fn readable(field: &DrawnField, value: String) -> String {
    if field.kind == "boolean" && field.choices.is_empty() {
        match value.to_ascii_lowercase().as_str() {
            "1" | "t" | "true" => return "yes".to_owned(),
            "0" | "f" | "false" => return "no".to_owned(),
            _ => {}
        }
    }
    let label = field.choices.iter().find(|(known, _)| *known == value).map(|(_, label)| label.clone());
    shown(label.unwrap_or(value).lines().next().unwrap_or_default())
}

/// A field's value in the record shown, or the blank of a form, with what else is to be said of it. `at` is the place of
/// its value in the record.
pub(super) fn field_value(drawing: &Drawing, field: &DrawnField, at: &mut usize) -> String {
    let value = if field.kind == "related" {
        "(linked records)".to_owned()
    } else {
        *at += 1;
        let value = drawing.records.first().and_then(|r| r.get(*at - 1)).cloned().flatten();
        let blank = match drawing.layout {
            "form" => "____",
            _ if drawing.records.is_empty() => "",
            _ => "-",
        };
        value.map_or_else(|| blank.to_owned(), |v| readable(field, v))
    };
    let remarks = if field.remarks.is_empty() { String::new() } else { format!("  ({})", shown(&field.remarks.join("; "))) };
    format!("{value}{remarks}")
}
