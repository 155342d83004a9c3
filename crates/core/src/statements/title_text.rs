//! The text of a template: its parts joined so that a part without a value takes along what stands around it.
//!
//! `{last_name}, {first_name}` of somebody without a first name is `Miller`, not `Miller, `; `{name} ({region.name})` of a yard without
//! a region has no brackets.

use super::dialect::{as_text, joined, literal};
use crate::schema::Engine;

/// A piece of a template, as SQL where it is a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Piece {
    /// Text between values.
    Text(String),
    /// A value, as SQL.
    Value(String),
}

/// A value with the text that belongs to it alone.
#[derive(Debug, Default, PartialEq, Eq)]
struct Part {
    /// What separates it from what stands before it; shown only between two parts that have a value.
    separator: String,
    open: String,
    value: String,
    close: String,
}

/// The whole text as SQL: never NULL.
pub(super) fn text(pieces: Vec<Piece>, engine: Engine) -> String {
    if !pieces.iter().any(|piece| matches!(piece, Piece::Value(_))) {
        let texts = pieces.into_iter().map(|piece| match piece {
            Piece::Text(text) | Piece::Value(text) => text,
        });
        return literal(&texts.collect::<String>(), engine);
    }
    let mut parts = parts(pieces).into_iter();
    let Some(first) = parts.next() else { return "''".to_owned() };
    let is_bare = first.open.is_empty() && first.close.is_empty();
    if parts.len() == 0 && is_bare {
        return format!("coalesce({}, '')", plain(&first.value, engine));
    }
    let mut all = wrapped(&first, engine);
    let mut is_first = true;
    for part in parts {
        // An empty text is nothing to be separated from.
        let before = if is_first { all } else { format!("nullif({all}, '')") };
        all = format!("concat_ws({}, {before}, {})", literal(&part.separator, engine), wrapped(&part, engine));
        is_first = false;
    }
    if is_first { format!("coalesce({all}, '')") } else { all }
}

/// A value beside texts: only texts may stand there in PostgreSQL.
fn plain(value: &str, engine: Engine) -> String {
    if engine == Engine::Postgresql { as_text(value, engine) } else { value.to_owned() }
}

/// A part's text: NULL where it has no value.
fn wrapped(part: &Part, engine: Engine) -> String {
    // Compared as a number, an empty text would be 0 to some engines.
    let value = if engine == Engine::Sqlite { part.value.clone() } else { as_text(&part.value, engine) };
    let around = |text: &str| (!text.is_empty()).then(|| literal(text, engine));
    let pieces: Vec<String> = around(&part.open).into_iter().chain([format!("nullif({value}, '')")]).chain(around(&part.close)).collect();
    match pieces.as_slice() {
        [one] => one.clone(),
        several => format!("({})", joined(several, engine)),
    }
}

/// Each value with what belongs to it: brackets around it, words before the first and behind the last.
fn parts(pieces: Vec<Piece>) -> Vec<Part> {
    let mut parts: Vec<Part> = Vec::new();
    let mut text = String::new();
    for piece in pieces {
        match piece {
            Piece::Text(more) => text.push_str(&more),
            Piece::Value(value) => {
                let between = std::mem::take(&mut text);
                match parts.last_mut() {
                    None => parts.push(Part { open: between, value, ..Part::default() }),
                    Some(before) => {
                        let (close, separator, open) = divided(&between, &before.open);
                        close.clone_into(&mut before.close);
                        parts.push(Part { separator: separator.to_owned(), open: open.to_owned(), value, close: String::new() });
                    }
                }
            }
        }
    }
    if let Some(last) = parts.last_mut() {
        last.close.push_str(&text);
    }
    parts
}

const BRACKETS: [(char, char); 5] = [('(', ')'), ('[', ']'), ('{', '}'), ('«', '»'), ('“', '”')];

/// What of a text between two values closes what was opened before the first, what separates them, and what opens before the second.
fn divided<'t>(between: &'t str, opened: &str) -> (&'t str, &'t str, &'t str) {
    let is_open = |c: char| BRACKETS.iter().any(|(open, _)| *open == c);
    let is_close = |c: char| BRACKETS.iter().any(|(_, close)| *close == c);
    let opening = between.rfind(is_open).filter(|at| !between[*at..].contains(is_close)).unwrap_or(between.len());
    let (rest, open) = between.split_at(opening);
    let closing = if opened.contains(is_open) {
        rest.find(is_close).map(|at| at + rest[at..].chars().next().map_or(0, char::len_utf8))
    } else {
        None
    };
    // Words up to a mark, such as a unit, belong to the value before them.
    let mark = rest.find([',', ';', '|', '·', '–', '—']).filter(|at| rest[..*at].contains(char::is_alphanumeric));
    let (close, separator) = rest.split_at(closing.or(mark).unwrap_or(0));
    (close, separator, open)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// `<a>, <b>`: values stand in angle brackets.
    fn pieces(text: &str) -> Vec<Piece> {
        let mut all = Vec::new();
        for part in text.split('<') {
            match part.split_once('>') {
                Some((value, rest)) => all.extend([Piece::Value(value.to_owned()), Piece::Text(rest.to_owned())]),
                None => all.push(Piece::Text(part.to_owned())),
            }
        }
        all
    }

    /// What a database would make of it, where these values are empty.
    fn shown(text: &str, empty: &[&str]) -> String {
        let mut all = String::new();
        for part in parts(pieces(text)) {
            if empty.contains(&part.value.as_str()) {
                continue;
            }
            if !all.is_empty() {
                all.push_str(&part.separator);
            }
            all.push_str(&format!("{}{}{}", part.open, part.value, part.close));
        }
        all
    }

    #[test]
    fn a_part_without_a_value_takes_along_what_stands_around_it() {
        for (template, empty, wanted) in [
            ("<a>, <b>", &[][..], "a, b"),
            ("<a>, <b>", &["a"], "b"),
            ("<a>, <b>", &["b"], "a"),
            ("<a>, <b>", &["a", "b"], ""),
            ("<a> (<b>)", &[], "a (b)"),
            ("<a> (<b>)", &["b"], "a"),
            ("<a> (<b>)", &["a"], "(b)"),
            ("<a> (<b>) <c>", &["b"], "a c"),
            ("<a> (<b>), <c>", &["b"], "a, c"),
            ("<a> - <b> - <c>", &["b"], "a - c"),
            ("<a> - <b> - <c>", &["a", "b"], "c"),
            ("No. <a>", &["a"], ""),
            ("<a> kg", &["a"], ""),
            ("<a> kg, <b>", &["b"], "a kg"),
            ("<a> in <b>", &["b"], "a"),
            ("<a><b>", &["a"], "b"),
        ] {
            assert_eq!(shown(template, empty), wanted, "{template} without {empty:?}");
        }
        assert_eq!(text(vec![Piece::Text("all".to_owned())], Engine::Sqlite), "'all'");
        assert_eq!(text(pieces("<a> (<b>)"), Engine::Sqlite), "concat_ws(' ', nullif(a, ''), ('(' || nullif(b, '') || ')'))");
        assert_eq!(
            text(pieces("<a> (<b>)"), Engine::Mariadb),
            "concat_ws(' ', nullif(CAST(a AS CHAR), ''), (concat('(', nullif(CAST(b AS CHAR), ''), ')')))"
        );
    }
}
