//! What was typed into a form: as text that the database reads, and what is wrong with it.

use crate::ask::{Query, values};
use crate::limits::wrong;
use crate::reader::Record;
use std::borrow::Cow;
use ysomorph_core::definition::Field;

/// What is wrong with what was typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mistake {
    /// The field; absent where it is about the whole.
    pub field: Option<String>,
    /// What is the matter, and what to do.
    pub text: String,
}

impl Mistake {
    /// About the whole form.
    pub fn whole(text: impl Into<String>) -> Mistake {
        Mistake { field: None, text: text.into() }
    }

    /// About a field.
    pub fn of(field: &Field, text: impl Into<String>) -> Mistake {
        Mistake { field: Some(field.name.clone()), text: text.into() }
    }
}

/// What a form says the file of a field is kept under.
pub fn kept_as(field: &str) -> String {
    format!("kept.{field}")
}

/// A form as it was sent.
#[derive(Debug, Clone, Default)]
pub struct Typed(pub Query);

impl Typed {
    /// What stands in a field's control; nothing where the form hadn't one.
    pub fn value(&self, field: &str) -> Option<&str> {
        self.0.first(&format!("field.{field}"))
    }

    /// What stood there when the form was made.
    pub fn was(&self, field: &str) -> &str {
        self.0.first(&format!("was.{field}")).unwrap_or_default()
    }

    /// Whether a field was given another value, or none.
    pub fn is_changed(&self, field: &str) -> bool {
        self.value(field).is_some_and(|value| value != self.was(field)) || self.is_taken_away(field)
    }

    /// Whether a picture or file is to go: what can't be typed can't be deleted by typing.
    pub fn is_taken_away(&self, field: &str) -> bool {
        self.0.get(&format!("clear.{field}")).is_some()
    }

    /// Whether a file was chosen before, which isn't kept any more.
    fn is_file_lost(&self, field: &str) -> bool {
        self.0.get(&kept_as(field)).is_some() && self.value(field).is_none_or(str::is_empty)
    }

    /// The records that are ticked of a related set, and those that were.
    pub fn ticked(&self, field: &str) -> (Vec<String>, Vec<String>) {
        let all = |name: &str| self.0.values(&format!("{name}.{field}")).map(str::to_owned).collect();
        (all("related"), all("linked"))
    }

    /// What is wrong with the fields of a form.
    pub fn mistakes(&self, fields: &[&Field], is_new: bool) -> Vec<Mistake> {
        let lost = |field: &&&Field| self.is_file_lost(&field.name);
        let lost =
            fields.iter().filter(lost).map(|field| Mistake::of(field, "The file that was chosen isn't kept any more: choose it again."));
        let wanted = |field: &&&Field| is_new || self.is_changed(&field.name);
        let wrong = fields.iter().filter(wanted).filter_map(|field| Some(Mistake::of(field, wrong(field, self.value(&field.name)?)?)));
        lost.chain(wrong).collect()
    }
}

/// A field's value in a record, as its control holds it.
pub fn held(field: &Field, record: &Record) -> String {
    // What is masked isn't given out to be changed, nor are bytes.
    if is_masked(field) || is_bytes(field) {
        return String::new();
    }
    let own = record.values.get(&field.name).map(Vec::as_slice).unwrap_or_default();
    if own.iter().any(Option::is_none) {
        return String::new();
    }
    let parts: Vec<String> = own.iter().flatten().cloned().collect();
    if field.lookup.is_some() {
        return crate::ask::as_one(&parts);
    }
    let text = parts.into_iter().next().unwrap_or_default();
    match field.kind.as_str() {
        "boolean" => match text.to_ascii_lowercase().as_str() {
            "true" | "t" => "1".to_owned(),
            "false" | "f" => "0".to_owned(),
            _ => text,
        },
        "date-time" => text.replacen(' ', "T", 1),
        // A control gives every line the same end.
        "multiline" | "code" | "json" => text.replace("\r\n", "\n").replace('\n', "\r\n"),
        _ => text,
    }
}

/// The values of a field's columns, as the database reads them; without one where nothing stands there.
pub fn written(field: &Field, typed: &str) -> Vec<Option<String>> {
    if field.lookup.is_some() {
        return if typed.is_empty() { vec![None; field.columns.len()] } else { values(typed).into_iter().map(Some).collect() };
    }
    let text = match field.kind.as_str() {
        "date-time" => typed.replacen('T', " ", 1),
        "multiline" | "code" | "json" => typed.replace("\r\n", "\n"),
        _ => with_point(field, typed).into_owned(),
    };
    vec![(!text.is_empty()).then_some(text)]
}

/// Whether a field holds a picture or a file: it is sent as such, and stands in a form by its hexadecimal digits.
pub fn is_bytes(field: &Field) -> bool {
    ["image", "file"].contains(&field.kind.as_str())
}

/// Whether a field's value isn't shown to be changed.
pub fn is_masked(field: &Field) -> bool {
    field.sensitive || field.kind == "password"
}

/// A number as databases read it: a comma is a point where there is none.
pub fn with_point<'t>(field: &Field, typed: &'t str) -> Cow<'t, str> {
    let has_decimals = ["decimal", "money", "percent"].contains(&field.kind.as_str());
    if has_decimals && typed.matches(',').count() == 1 && !typed.contains('.') {
        Cow::Owned(typed.replacen(',', ".", 1))
    } else {
        Cow::Borrowed(typed)
    }
}

/// The members of a field that may have several of its choices, in the order of the choices.
pub fn members<'t>(field: &Field, typed: &'t str) -> Vec<&'t str> {
    let mut all: Vec<&str> = typed.split(',').filter(|member| !member.is_empty()).collect();
    all.sort_by_key(|member| field.choices.iter().position(|choice| choice.value.value == *member).unwrap_or(usize::MAX));
    all.dedup();
    all
}

/// Whether a field may have several of its choices at once.
pub fn has_members(field: &Field) -> bool {
    field.kind == "list" && !field.choices.is_empty()
}
