//! Names from databases: how they are compared, quoted, split into words and matched by pattern.
//!
//! Names are compared without regard to ASCII case, so that one definition serves engines that fold it
//! differently; where an engine tells cases apart, the schema looks for the exact spelling.
//!
//! A table outside the home schema has a *qualified* name: schema and name with [`SEPARATOR`] between, which
//! can't be mistaken for a dot in a name. People see and write it as `schema.table`.

mod patterns;
mod renames;

pub use patterns::{Patterns, fitting};
pub use renames::RenameMap;

use crate::engine::Engine;

/// Stands between the schema and the name in a [`qualified`] name (the ASCII unit separator).
pub const SEPARATOR: char = '\u{1f}';

/// The name of a table outside the home schema.
pub fn qualified(schema: &str, name: &str) -> String {
    format!("{schema}{SEPARATOR}{name}")
}

/// Schema and name of a table; no schema for one at home.
pub fn split_qualified(table: &str) -> (Option<&str>, &str) {
    table.split_once(SEPARATOR).map_or((None, table), |(schema, name)| (Some(schema), name))
}

/// A name for patterns and people: a qualified one with a dot, no quotes.
pub fn plain(table: &str) -> String {
    table.replace(SEPARATOR, ".")
}

/// Folds a name for comparison: two names are the same exactly when their folds are equal.
pub fn fold(name: &str) -> String {
    name.to_ascii_lowercase()
}

/// Whether the database takes two spellings for the same identifier.
pub fn same(a: &str, b: &str) -> bool {
    a.eq_ignore_ascii_case(b)
}

/// Whether `names` holds `name`, as the database compares them.
pub fn contains<S: AsRef<str>>(names: &[S], name: &str) -> bool {
    names.iter().any(|known| same(known.as_ref(), name))
}

/// Whether a name can stand in SQL and in question names without quotes, reserved words aside.
pub fn is_plain(name: &str) -> bool {
    let mut characters = name.chars();
    characters.next().is_some_and(|first| first.is_alphabetic() || first == '_')
        && characters.all(|c| c.is_alphanumeric() || c == '_' || c == '$')
}

/// A name as the definition and question names write it: bare where plain, else a quoted SQL identifier.
pub fn written(name: &str) -> String {
    if let (Some(schema), name) = split_qualified(name) {
        return format!("{}.{}", written(schema), written(name));
    }
    if is_plain(name) { name.to_owned() } else { quoted(name) }
}

/// A quoted SQL identifier.
pub fn quoted(name: &str) -> String {
    if let (Some(schema), name) = split_qualified(name) {
        return format!("{}.{}", quoted(schema), quoted(name));
    }
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// A quoted identifier as an engine writes it; a qualified name is quoted part by part.
pub fn quoted_for(name: &str, engine: Engine) -> String {
    if !engine.is_mysql_like() {
        return quoted(name);
    }
    let parts = name.split(SEPARATOR).map(|part| format!("`{}`", part.replace('`', "``")));
    parts.collect::<Vec<_>>().join(".")
}

/// Reads a name written by [`written`]; a bare name that isn't plain is taken as it stands.
pub fn read(text: &str) -> String {
    match text.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        Some(inner) => inner.replace("\"\"", "\""),
        _ => text.to_owned(),
    }
}

/// Reads a table's name: `schema.table` is a qualified one, a dot inside quotes isn't.
pub fn read_table(text: &str) -> String {
    let mut in_quotes = false;
    let dot = text.char_indices().find(|(_, c)| {
        in_quotes ^= *c == '"';
        *c == '.' && !in_quotes
    });
    match dot {
        Some((at, _)) if at > 0 && at + 1 < text.len() => qualified(&read(&text[..at]), &read(&text[at + 1..])),
        _ => read(text),
    }
}

/// The name an identifier in SQL stands for, whatever quotes it is in.
pub fn unquoted(identifier: &str) -> String {
    let inner = |open: char, close: char| identifier.strip_prefix(open).and_then(|rest| rest.strip_suffix(close));
    if let Some(name) = inner('`', '`') {
        return name.replace("``", "`");
    }
    inner('[', ']').map_or_else(|| read(identifier), str::to_owned)
}

/// `table.column` as question names and messages write it.
pub fn dotted(table: &str, column: &str) -> String {
    format!("{}.{}", written(table), written(column))
}

/// The words of an identifier, lower-cased: `memberNo`, `member_no` and `MEMBER-NO` are `member`, `no`.
pub fn words(name: &str) -> Vec<String> {
    let mut words = Vec::new();
    let mut word = String::new();
    let mut previous_lower = false;
    for c in name.chars() {
        if !c.is_alphanumeric() {
            push_word(&mut words, &mut word);
            previous_lower = false;
            continue;
        }
        if c.is_uppercase() && previous_lower {
            push_word(&mut words, &mut word);
        }
        previous_lower = c.is_lowercase() || c.is_numeric();
        word.extend(c.to_lowercase());
    }
    push_word(&mut words, &mut word);
    words
}

/// The first of the [`words`] of an identifier where more follow.
pub fn first_of_words(name: &str) -> Option<String> {
    let mut first = String::new();
    let (mut is_over, mut previous_lower) = (false, false);
    for c in name.chars() {
        let is_part = c.is_alphanumeric();
        is_over |= !first.is_empty() && (!is_part || c.is_uppercase() && previous_lower);
        if is_over && is_part {
            return Some(first);
        }
        previous_lower = c.is_lowercase() || c.is_numeric();
        if is_part {
            first.extend(c.to_lowercase());
        }
    }
    None
}

fn push_word(words: &mut Vec<String>, word: &mut String) {
    if !word.is_empty() {
        words.push(std::mem::take(word));
    }
}

/// How much two names have in common at least, of 1, where one may be a slip of the finger.
const NEAR: f64 = 0.55;

/// The nearest of the known names, if one is near enough to be a likely slip of the finger.
pub fn nearest<'a>(name: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let wanted = fold(name);
    let length = wanted.chars().count();
    // As many letters as one has more than the other have to be put in.
    let may_be = |candidate: &&str| {
        let (least, most) = (length.min(candidate.chars().count()), length.max(candidate.chars().count()));
        least as f64 >= NEAR * most as f64
    };
    known
        .into_iter()
        .filter(may_be)
        .map(|candidate| (strsim::normalized_damerau_levenshtein(&wanted, &fold(candidate)), candidate))
        .filter(|(score, _)| *score >= NEAR)
        .max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(a.1)))
        .map(|(_, candidate)| candidate)
}

/// Shows a name or text from a database with what can't be seen escaped, so that it can neither steer a terminal nor
/// pass for another name.
pub fn shown(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut before = ' ';
    for c in text.chars() {
        match c {
            SEPARATOR => out.push('.'),
            c if c.is_control() => out.extend(c.escape_default()),
            c if is_invisible(c) && !is_spelling(before, c) => out.extend(c.escape_unicode()),
            c => out.push(c),
        }
        before = c;
    }
    out
}

/// Whether a joiner or a selector belongs to the spelling of what stands before it: in Arabic and Indic scripts, and in
/// pictures.
fn is_spelling(before: char, c: char) -> bool {
    match c {
        '\u{200c}' | '\u{200d}' => matches!(before, '\u{620}'..='\u{6ff}' | '\u{900}'..='\u{dff}' | '\u{1f000}'..='\u{1faff}' | '\u{fe0f}'),
        '\u{fe0f}' => matches!(before, '\u{2190}'..='\u{2bff}' | '\u{1f000}'..='\u{1faff}'),
        _ => false,
    }
}

/// Whether a character shows nothing of its own: controls, directions, joiners, tags, other blanks than the usual one,
/// line ends, and what only changes the look of another.
pub fn is_invisible(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}' | '\u{180b}'..='\u{180f}'
            | '\u{2000}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{205f}'..='\u{206f}' | '\u{2800}' | '\u{3164}'
            | '\u{fe00}'..='\u{fe0f}' | '\u{feff}' | '\u{ffa0}' | '\u{fff0}'..='\u{fffb}' | '\u{1bca0}'..='\u{1bca3}'
            | '\u{1d173}'..='\u{1d17a}' | '\u{e0000}'..='\u{e0fff}')
}

/// Table names in files: [`written`] and [`read_table`] again.
pub mod as_written {
    use serde::{Deserialize, Deserializer, Serializer};

    /// Writes it.
    #[allow(clippy::missing_errors_doc, reason = "the serializer's own")]
    pub fn serialize<S: Serializer>(table: &str, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&super::written(table))
    }

    /// Reads it.
    #[allow(clippy::missing_errors_doc, reason = "the deserializer's own")]
    pub fn deserialize<'a, D: Deserializer<'a>>(deserializer: D) -> Result<String, D::Error> {
        String::deserialize(deserializer).map(|text| super::read_table(&text))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_written_so_that_they_read_back() {
        for name in ["apiary", "two words", "Größe", "a\"b", "1st", "order", "", "a.b"] {
            assert_eq!(read(&written(name)), name, "{name:?}");
        }
        assert_eq!(written("two words"), "\"two words\"");
        for (text, schema, table) in [("sales.order", Some("sales"), "order"), ("\"a.b\"", None, "a.b"), ("\"a.b\".c", Some("a.b"), "c")] {
            let name = read_table(text);
            assert_eq!((split_qualified(&name), written(&name)), ((schema, table), text.to_owned()));
        }
    }

    #[test]
    fn nothing_invisible_is_shown_as_it_is() {
        for c in [
            '\u{0}',
            '\u{7}',
            '\u{1b}',
            '\u{7f}',
            '\u{85}',
            '\u{9b}',
            '\u{200b}',
            '\u{200d}',
            '\u{feff}',
            '\u{2028}',
            '\u{2029}',
            '\u{61c}',
            '\u{202e}',
            '\u{2066}',
            '\u{e0001}',
            '\u{e0061}',
            '\u{ad}',
            '\u{180e}',
            '\u{fe0f}',
            '\u{2060}',
        ] {
            let text = shown(&format!("a{c}b"));
            assert_eq!(text, format!("a\\u{{{:x}}}b", u32::from(c)));
        }
        for plain in ["Größe", "日本語", "two words", "عربي", "naïve é", "🐝", "می\u{200c}خواهم", "❤\u{fe0f}"] {
            assert_eq!(shown(plain), plain);
        }
        assert_eq!(shown("a\tb\n"), "a\\tb\\n");
        assert_eq!(shown(&qualified("sales", "order")), "sales.order");
    }

    #[test]
    fn words_are_found_in_every_common_spelling() {
        for (name, expected) in
            [("member_no", "member no"), ("memberNo", "member no"), ("MEMBER-NO", "member no"), ("Größe (cm)", "größe cm")]
        {
            assert_eq!(words(name).join(" "), expected);
        }
    }

    #[test]
    fn the_first_of_several_words_is_found_without_the_others() {
        let parts = ["a", "B", "_", "1", "ß", "İ", "é", "Q", "-", "x", " "];
        let names = (0..parts.len().pow(4)).map(|n| (0..4).map(|at| parts[n / parts.len().pow(at) % parts.len()]).collect::<String>());
        for name in names {
            let all = words(&name);
            assert_eq!(first_of_words(&name), all.first().filter(|_| all.len() > 1).cloned(), "{name:?}");
        }
    }

    #[test]
    fn the_nearest_name_is_offered_only_when_near() {
        assert_eq!(nearest("nmae", ["name", "place"]), Some("name"));
        assert_eq!(nearest("quux", ["name", "place"]), None);
    }
}
