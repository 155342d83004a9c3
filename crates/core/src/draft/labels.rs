//! Labels from names: words, abbreviations written out, one and many.

use super::conventions::{Conventions, LabelCase, UNITS};
use crate::name;
use crate::schema::{Column, Kind, Schema, Table, TableKind};
use std::collections::BTreeMap;

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
pub(super) fn is_address(spoken: &str, conventions: &Conventions) -> bool {
    let words = name::words(spoken);
    // An `ip_address` is none, nor are `house_rules`.
    let other = ["bcc", "email", "file", "host", "http", "ip", "mac", "mail", "memory", "net", "network", "server", "type", "url", "web"];
    let means = |w: &String| !other.contains(&w.as_str()) && !["rules", "count", "format", "rate"].contains(&w.as_str());
    !words.is_empty() && words.iter().all(means) && conventions.address.fit(spoken)
}

/// Whether a word of a column's name makes it the core of a postal address: a place alone is none.
pub(super) fn is_street_or_town(spoken: &str) -> bool {
    let core = ["street", "postcode", "zip", "postal", "city", "town", "village", "address", "addr", "plz", "ort", "strasse"];
    name::words(spoken).iter().any(|w| core.contains(&w.as_str()))
}

/// Whether a column holds ids or digests that people don't read.
pub(super) fn is_machine_made(column: &Column) -> bool {
    const MADE: &[&str] = &["uuid", "guid", "hash", "md5", "sha1", "sha256", "checksum", "digest", "fingerprint", "etag"];
    matches!(column.column_type.kind, Kind::Uuid | Kind::Binary)
        || name::words(&column.name).last().is_some_and(|w| MADE.contains(&w.as_str()))
}

/// The word that the columns of a table begin with: it is no part of what people read. One that is short or names the table may be
/// missing on a few, so that a column that came later changes no label.
pub(super) fn prefix_of(table: &Table) -> Option<String> {
    let all = table.columns.len();
    if all < 3 {
        return None;
    }
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for first in table.columns.iter().filter_map(|column| name::first_of_words(&column.name)) {
        *counts.entry(first).or_default() += 1;
    }
    let (prefix, count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
    let is_sign = || {
        let own = name::words(name::split_qualified(&table.name).1);
        prefix.chars().count() <= 3 && !SMALL.contains(&prefix.as_str()) || own.iter().any(|w| *w == prefix || singular(w) == prefix)
    };
    let is_prefix = count == all || count >= 3 && count * 3 >= all * 2 && is_sign();
    is_prefix.then_some(prefix)
}

/// Short words that mean something in front of a column's name.
const SMALL: &[&str] =
    &["is", "has", "no", "max", "min", "avg", "day", "net", "tax", "fee", "url", "ip", "old", "new", "sub", "pre", "non"];

/// A column's name without its table's prefix.
pub(super) fn without_prefix(column: &str, prefix: Option<&str>) -> String {
    let words = name::words(column);
    match prefix {
        Some(prefix) if words.len() > 1 && words.first().is_some_and(|first| first == prefix) => words[1..].join("_"),
        _ => column.to_owned(),
    }
}

/// A column's name as people would say it: without its table's prefix, words that run together taken apart. Patterns fit it.
pub(super) fn spoken(column: &str, prefix: Option<&str>) -> String {
    name::words(&without_prefix(column, prefix)).into_iter().flat_map(taken_apart).collect::<Vec<_>>().join("_")
}

/// The short word that tables of a schema begin with: it is no part of what their records are called.
pub(super) fn prefix_of_tables(schema: &Schema) -> Option<String> {
    let tables = || schema.tables.iter().filter(|t| t.kind == TableKind::Table).map(|t| name::words(name::split_qualified(&t.name).1));
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    for words in tables().filter(|words| words.len() > 1) {
        words.into_iter().take(1).for_each(|first| *counts.entry(first).or_default() += 1);
    }
    let (prefix, count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
    (count >= 3 && count * 3 >= tables().count() * 2 && prefix.chars().count() <= 4 && !SMALL.contains(&prefix.as_str())).then_some(prefix)
}

/// The word that a label begins with, where more follows and it says what the rest is of.
pub(super) fn first_word(label: &str) -> Option<String> {
    let mut words = label.split_whitespace();
    let first = words.next()?.to_lowercase();
    (words.next().is_some() && !["is", "has", "can", "may", "no", "the"].contains(&first.as_str())).then_some(first)
}

/// The label of a lookup: its column's words without those that only say that it is an id.
pub(super) fn of_reference(column: &str, conventions: &Conventions) -> String {
    let mut words = name::words(column);
    let says = words.iter().filter(|w| !["id", "fk"].contains(&w.as_str())).count();
    if says > 0 {
        words.retain(|w| !["id", "fk"].contains(&w.as_str()));
    }
    label(&words.join("_"), conventions)
}

/// Whether a comment is short enough to be a label: a few words, no sentence.
pub(super) fn is_label(comment: &str) -> bool {
    comment.chars().count() <= 30
        && comment.split_whitespace().count() <= 4
        && comment.chars().any(char::is_alphabetic)
        && !comment.contains(['\n', '.', ':', ';', ',', '=', '?', '(', '<', '{', '_', '/'])
        && comment.chars().next().is_some_and(char::is_uppercase)
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
        None if word.strip_suffix('s').is_some_and(|one| ACRONYMS.contains(&one)) => format!("{}s", word[..word.len() - 1].to_uppercase()),
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

pub(super) fn singular(word: &str) -> String {
    let cut = |ending: &str, new: &str| word.strip_suffix(ending).map(|stem| format!("{stem}{new}"));
    if let Some(one) = word.strip_suffix('s').filter(|one| ACRONYMS.contains(one)) {
        return one.to_owned();
    }
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
    // Of Greek: a diagnosis, two diagnoses.
    if let Some(stem) = word.strip_suffix("sis") {
        return format!("{stem}ses");
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
            ("diagnosis", "Diagnosis", "Diagnoses"),
            ("old_ids", "Old ID", "Old IDs"),
        ] {
            assert_eq!(one_and_many(table, &conventions), (one.to_owned(), many.to_owned()));
        }
    }
}
