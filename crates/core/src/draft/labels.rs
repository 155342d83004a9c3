//! Labels from names: words, abbreviations written out, one and many.

use super::conventions::{Conventions, LabelCase, UNITS};
use crate::name;

/// Words that are read letter by letter.
const ACRONYMS: &[&str] = &[
    "api", "bic", "csv", "ean", "gps", "html", "iban", "id", "ip", "isbn", "json", "pdf", "pin", "sku", "sms", "uri", "url", "uuid", "vat",
    "xml",
];

/// A measured column's label without its unit, and the unit: `honey_kg` is honey in kg.
pub(super) fn measured(column: &str, conventions: &Conventions) -> (String, Option<String>) {
    let words = name::words(column);
    match words.as_slice() {
        // A unit that is the whole name: `kg`.
        [word] => (label(column, conventions), conventions.units.get(word).filter(|_| word.len() > 1).cloned()),
        [rest @ .., last] if conventions.units.contains_key(last) => {
            (label(&rest.join("_"), conventions), conventions.units.get(last).cloned())
        }
        _ => (label(column, conventions), None),
    }
}

/// The unit that a column's name ends with, as people write it.
pub fn unit_of(column: &str) -> Option<&'static str> {
    let words = name::words(column);
    let last = words.last().filter(|_| words.len() > 1)?;
    UNITS.iter().find(|(word, _)| word == last).map(|(_, unit)| *unit)
}

/// Whether a column is part of an address.
pub(super) fn is_address(columns: &[String], conventions: &Conventions) -> bool {
    let [column] = columns else { return false };
    // "mail_address" is none.
    !name::words(column).iter().any(|w| ["email", "ip", "mail", "type"].contains(&w.as_str()))
        && name::matches_words(&conventions.address, column)
}

/// What people read for a value of the database: `top-bar` is "Top bar".
pub fn of_value(value: &str) -> String {
    if value.chars().all(|c| c.is_ascii_uppercase() || c.is_ascii_digit()) {
        return value.to_owned();
    }
    let words: Vec<&str> = value.split(['_', '-', ' ']).filter(|w| !w.is_empty()).collect();
    if words.is_empty() { value.to_owned() } else { capital(&words.join(" ")) }
}

/// A label inside a sentence: its first letter small, unless it is read letter by letter.
pub(super) fn lowered(label: &str) -> String {
    let first: String = label.chars().take(2).collect();
    let acronym = first.chars().count() == 2 && first.chars().all(char::is_uppercase);
    let mut characters = label.chars();
    match characters.next().filter(|_| !acronym) {
        Some(first) => first.to_lowercase().chain(characters).collect(),
        None => label.to_owned(),
    }
}

/// A field's label where none is written: its name's words.
pub fn field_label(field: &str) -> String {
    sentence(field)
}

/// The words of a name as a sentence starts.
pub fn sentence(name: &str) -> String {
    capital(&name::words(name).join(" "))
}

/// The words of a name as the conventions want labels.
pub fn label(name: &str, conventions: &Conventions) -> String {
    let expand = |word: String| match conventions.abbreviations.get(&word) {
        Some(long) => long.clone(),
        None if ACRONYMS.contains(&word.as_str()) => word.to_uppercase(),
        None => word,
    };
    let words: Vec<String> = name::words(name).into_iter().flat_map(taken_apart).map(expand).collect();
    cased(&words, conventions.label_case)
}

/// Words that people write together, taken apart: `firstname`.
fn taken_apart(word: String) -> Vec<String> {
    let halves = FIRST_HALVES.iter().filter_map(|half| Some((*half, word.strip_prefix(half)?)));
    match halves.into_iter().find(|(_, rest)| SECOND_HALVES.contains(rest)) {
        Some((half, rest)) => vec![half.to_owned(), rest.to_owned()],
        None => vec![word],
    }
}

/// What often stands before…
const FIRST_HALVES: &[&str] =
    &["first", "last", "full", "middle", "start", "end", "due", "order", "phone", "zip", "house", "birth", "member", "card"];
/// …one of these, without anything between.
const SECOND_HALVES: &[&str] = &["name", "date", "time", "number", "code", "login", "updated", "modified", "changed", "seen", "no", "id"];

fn cased(words: &[String], case: LabelCase) -> String {
    match case {
        LabelCase::Lower => words.join(" "),
        LabelCase::Sentence => capital(&words.join(" ")),
        LabelCase::Title => words.iter().map(|w| capital(w)).collect::<Vec<_>>().join(" "),
    }
}

fn capital(text: &str) -> String {
    let mut characters = text.chars();
    match characters.next() {
        Some(first) => first.to_uppercase().chain(characters).collect(),
        None => String::new(),
    }
}

/// What one record and many records of a table are called. Names in the plural are brought to the singular
/// by English endings; what doesn't look English stays.
pub fn one_and_many(table: &str, conventions: &Conventions) -> (String, String) {
    let words = name::words(table);
    // "harvest by apiary": what there are many of stands before the small word.
    let small = words.iter().position(|w| ["by", "of", "per", "in", "for"].contains(&w.as_str())).filter(|at| *at > 0);
    let noun = small.unwrap_or(words.len()).saturating_sub(1);
    let with = |form: &dyn Fn(&str) -> String| {
        let changed: Vec<String> = words.iter().enumerate().map(|(at, w)| if at == noun { form(w) } else { w.clone() }).collect();
        label(&changed.join("_"), conventions)
    };
    (with(&singular), with(&|word| plural(&singular(word))))
}

fn singular(word: &str) -> String {
    let cut = |ending: &str, new: &str| word.strip_suffix(ending).map(|stem| format!("{stem}{new}"));
    if word.len() < 4 || word.ends_with("ss") || word.ends_with("us") || word.ends_with("is") {
        return word.to_owned();
    }
    cut("ies", "y")
        .or_else(|| ["ches", "shes", "xes", "sses"].iter().find_map(|e| cut(e, &e[..e.len() - 2])))
        .or_else(|| cut("s", ""))
        .unwrap_or_else(|| word.to_owned())
}

fn plural(word: &str) -> String {
    let vowel = |c: Option<char>| c.is_some_and(|c| "aeiou".contains(c));
    if let Some(stem) = word.strip_suffix('y')
        && !vowel(stem.chars().last())
    {
        return format!("{stem}ies");
    }
    if ["s", "x", "ch", "sh", "z"].iter().any(|e| word.ends_with(e)) {
        return format!("{word}es");
    }
    format!("{word}s")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_read_like_a_person_wrote_them() {
        let conventions = Conventions::default();
        assert_eq!(label("member_no", &conventions), "Member number");
        for (table, one, many) in [
            ("apiary", "Apiary", "Apiaries"),
            ("queen_strains", "Queen strain", "Queen strains"),
            ("harvest_by_apiary", "Harvest by apiary", "Harvests by apiary"),
            ("box", "Box", "Boxes"),
            ("boxes", "Box", "Boxes"),
            ("bus", "Bus", "Buses"),
        ] {
            assert_eq!(one_and_many(table, &conventions), (one.to_owned(), many.to_owned()));
        }
    }
}
