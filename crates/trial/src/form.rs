//! What was typed into a form: as text that the database reads, and what is wrong with it.

use crate::ask::{Query, values};
use crate::bytes::{from_hex, picture};
use crate::reader::Record;
use ysomorph_core::definition::Field;
use ysomorph_core::name::shown;

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
        _ => typed.to_owned(),
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

/// What is wrong with a value.
pub fn wrong(field: &Field, typed: &str) -> Option<String> {
    if typed.is_empty() {
        return field.required.then(|| "A value is needed.".to_owned());
    }
    if is_bytes(field) {
        return match from_hex(typed) {
            None => Some("It can't be read: choose it again.".to_owned()),
            Some(bytes) if field.kind == "image" && picture(&bytes).is_none() => Some("A picture: PNG, JPEG, GIF or WebP.".to_owned()),
            Some(_) => None,
        };
    }
    if !field.choices.is_empty() && !field.choices.iter().any(|choice| choice.value.value == typed) {
        return Some("Choose one of those that are offered.".to_owned());
    }
    let length = typed.replace("\r\n", "\n").chars().count();
    if let Some(most) = field.max_length.and_then(|most| usize::try_from(most).ok()).filter(|most| length > *most) {
        return Some(format!("At most {most} characters; these are {length}."));
    }
    match field.kind.as_str() {
        "boolean" if !["0", "1"].contains(&typed) => Some("Yes or no.".to_owned()),
        "number" if !is_number(typed, 0) => Some("A whole number, such as 12.".to_owned()),
        "decimal" | "money" | "percent" => {
            let places = field.decimals.and_then(|places| usize::try_from(places).ok());
            match places {
                Some(places) if is_number(typed, 1_000) && !is_number(typed, places) => Some(format!("At most {places} decimals.")),
                _ if !is_number(typed, 1_000) => Some("A number with a point, such as 12.5.".to_owned()),
                _ => beyond(field, typed),
            }
        }
        "number" => beyond(field, typed),
        "date" if typed.parse::<jiff::civil::Date>().is_err() => Some("A day, such as 2026-05-31.".to_owned()),
        "date" => beyond(field, typed),
        "time" if typed.parse::<jiff::civil::Time>().is_err() => Some("A time, such as 14:30.".to_owned()),
        "email" if !typed.split_once('@').is_some_and(|(name, host)| !name.is_empty() && !host.is_empty()) => {
            Some("An address, such as ada@example.org.".to_owned())
        }
        "url" if !typed.starts_with("https://") && !typed.starts_with("http://") => {
            Some("An address that begins with https://.".to_owned())
        }
        _ => None,
    }
}

/// Whether a value is below the least or above the greatest one.
fn beyond(field: &Field, typed: &str) -> Option<String> {
    let order = |limit: &str| match field.kind.as_str() {
        "date" => Some(typed.cmp(limit)),
        _ => typed.parse::<f64>().ok()?.partial_cmp(&limit.parse::<f64>().ok()?),
    };
    let (min, max) = (field.min.as_ref().map(|m| m.value.as_str()), field.max.as_ref().map(|m| m.value.as_str()));
    if let Some(min) = min.filter(|min| order(min) == Some(std::cmp::Ordering::Less)) {
        return Some(format!("Not below {}.", shown(min)));
    }
    max.filter(|max| order(max) == Some(std::cmp::Ordering::Greater)).map(|max| format!("Not above {}.", shown(max)))
}

/// Whether a text is a number with at most so many decimals.
fn is_number(text: &str, places: usize) -> bool {
    let digits = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
    let text = text.strip_prefix('-').unwrap_or(text);
    match text.split_once('.') {
        None => digits(text),
        Some((whole, part)) => digits(whole) && digits(part) && part.len() <= places,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_read_as_people_and_databases_write_them() {
        for (text, places, wanted) in [
            ("12", 0, true),
            ("-3", 0, true),
            ("12.5", 0, false),
            ("12.5", 1, true),
            ("12.55", 1, false),
            ("12,5", 2, false),
            ("", 2, false),
            ("-", 2, false),
            (".5", 2, false),
            ("5.", 2, false),
            ("1e3", 2, false),
            ("٣", 2, false),
        ] {
            assert_eq!(is_number(text, places), wanted, "{text}");
        }
    }
}
