//! Names from databases: how they are compared, quoted, split into words and matched by pattern.
//!
//! Engines differ in how they fold case; this slice follows SQLite, where identifiers compare without
//! regard to ASCII case. Everything that compares two names goes through [`same`] or [`fold`], so that
//! another engine's rule has one place to go.

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
    if is_plain(name) { name.to_owned() } else { quoted(name) }
}

/// A quoted SQL identifier.
pub fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// Reads a name written by [`written`]; a bare name that isn't plain is taken as it stands.
pub fn read(text: &str) -> String {
    match text.strip_prefix('"').and_then(|rest| rest.strip_suffix('"')) {
        Some(inner) => inner.replace("\"\"", "\""),
        _ => text.to_owned(),
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

fn push_word(words: &mut Vec<String>, word: &mut String) {
    if !word.is_empty() {
        words.push(std::mem::take(word));
    }
}

/// Whether a name matches one of the patterns (`*` and `?` as in a shell), without regard to case.
pub fn matches_any<S: AsRef<str>>(patterns: &[S], name: &str) -> bool {
    let name = fold(name);
    patterns.iter().any(|pattern| fast_glob::glob_match(fold(pattern.as_ref()), &name))
}

/// The nearest of the known names, if one is near enough to be a likely slip of the finger.
pub fn nearest<'a>(name: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let wanted = fold(name);
    known
        .into_iter()
        .map(|candidate| (strsim::normalized_damerau_levenshtein(&wanted, &fold(candidate)), candidate))
        .filter(|(score, _)| *score >= 0.55)
        .max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(a.1)))
        .map(|(_, candidate)| candidate)
}

/// Shows a name or text from a database with control characters escaped, so that it can't steer a terminal.
pub fn shown(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        if c.is_control() || matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200e}' | '\u{200f}') {
            out.extend(c.escape_default());
        } else {
            out.push(c);
        }
    }
    out
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
    fn the_nearest_name_is_offered_only_when_near() {
        assert_eq!(nearest("nmae", ["name", "place"]), Some("name"));
        assert_eq!(nearest("quux", ["name", "place"]), None);
    }
}
