//! Labels from names: words, abbreviations written out, one and many.

use super::{Conventions, LabelCase};
use crate::name;

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
    let expand = |word: String| conventions.abbreviations.get(&word).cloned().unwrap_or(word);
    let words: Vec<String> = name::words(name).into_iter().map(expand).collect();
    cased(&words, conventions.label_case)
}

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
