//! SQL inside other texts: the statements of a script, and string literals of a program that hold SQL.

use super::parser;
use super::places::Places;
use crate::schema::Engine;
use sqlparser::tokenizer::Token;
use std::ops::Range;

/// How far before a word the literal it stands in may begin, in bytes.
const REACH: usize = 8_000;

/// Words a statement begins with.
const FIRST: &[&str] = &["select", "insert", "update", "delete", "with", "merge", "replace", "call", "create", "alter", "drop"];

/// The statements of a script, in order; the whole script where it can't be taken apart.
pub fn statements(script: &str, engine: Engine) -> Vec<Range<usize>> {
    // What can't be taken apart is one statement.
    let tokens = parser::tokens(script, engine).unwrap_or_default();
    let places = Places::of(script);
    let mut all = Vec::new();
    let mut start = 0;
    for token in tokens.iter().filter(|t| t.token == Token::SemiColon) {
        let at = places.byte(token.span.start);
        all.push(start..at);
        start = at + 1;
    }
    all.push(start.min(script.len())..script.len());
    all
}

/// The statement that holds a byte.
pub fn statement_at(statements: &[Range<usize>], offset: usize) -> Option<Range<usize>> {
    statements.get(statements.partition_point(|range| range.end <= offset)).cloned()
}

/// The string literal of a program that holds a byte and begins like a statement: its inside.
///
/// The nearest opening quote before the byte that a statement's first word follows, up to the same quote. Languages
/// quote with `"`, `'`, `` ` `` and triples of them.
pub fn literal_at(program: &str, offset: usize) -> Option<Range<usize>> {
    let mut reach = offset.saturating_sub(REACH);
    while !program.is_char_boundary(reach) {
        reach += 1;
    }
    let before = program.get(reach..offset)?;
    let quotes = before.rmatch_indices(['"', '\'', '`']).map(|(at, quote)| (reach + at, quote));
    for (at, quote) in quotes {
        let inside = at + quote.len();
        let first: String = program[inside..].trim_start().chars().take_while(char::is_ascii_alphabetic).collect();
        if !FIRST.contains(&first.to_ascii_lowercase().as_str()) {
            continue;
        }
        let triple = quote.repeat(3);
        let closing = if program[..inside].ends_with(&triple) { triple.as_str() } else { quote };
        // Backslashes escape the quote.
        let mut end = inside;
        while let Some(next) = program[end..].find(closing) {
            end += next;
            if !program[..end].ends_with('\\') {
                return (end > offset).then_some(inside..end);
            }
            end += closing.len();
        }
        return None;
    }
    None
}

/// The same text with the placeholders that programs put into SQL (`%s`, `?`, `%(name)s`, `{name}`, `#{name}`) turned into
/// parameters or values of the same length, so that places stay.
pub fn without_placeholders(sql: &str) -> String {
    let mut out = sql.to_owned();
    for (open, close) in [("#{", "}"), ("${", "}"), ("{", "}"), ("%(", ")s")] {
        let mut from = 0;
        while let Some(start) = out[from..].find(open).map(|at| from + at) {
            let Some(end) = out[start..].find(close).map(|at| start + at + close.len()) else { break };
            let inside = &out[start..end];
            if inside.contains('\n') || inside.len() < 2 {
                from = start + open.len();
                continue;
            }
            let parameter = format!(":{}", "p".repeat(inside.len() - 1));
            out.replace_range(start..end, &parameter);
            from = end;
        }
    }
    let out = out.replace("%s", ":s").replace("%d", ":d");
    // A bare `?` is a parameter to drivers, and an operator to PostgreSQL's grammar: any value will do.
    let mut bare = String::with_capacity(out.len());
    for (at, letter) in out.char_indices() {
        let next = out[at + letter.len_utf8()..].chars().next();
        let alone = letter == '?' && next.is_none_or(|c| c.is_whitespace() || ",);".contains(c));
        bare.push(if alone { '0' } else { letter });
    }
    bare
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn statements_and_literals_are_cut_out() {
        let script = "-- it's; so\nSELECT ';' FROM a;\nSELECT tag FROM hive;";
        let at = script.find("tag").unwrap();
        let found = statement_at(&statements(script, Engine::Sqlite), at).unwrap();
        assert_eq!(script[found].trim(), "SELECT tag FROM hive");
        for (program, expected) in [
            ("rows = db.query(\"SELECT tag FROM hive\")", Some("SELECT tag FROM hive")),
            ("Q = \"\"\"\n SELECT tag\n FROM hive\"\"\"\n", Some("\n SELECT tag\n FROM hive")),
            ("x = 'SELECT ' + tag", None),
            ("print('the tag')", None),
            ("don't(`update hive set tag = 1 where name = 'x'`)", Some("update hive set tag = 1 where name = 'x'")),
        ] {
            let at = program.find("tag").unwrap();
            assert_eq!(literal_at(program, at).map(|range| &program[range]), expected, "{program}");
        }
        assert_eq!(without_placeholders("a = %s AND b = {name} AND c = %(c)s"), "a = :s AND b = :ppppp AND c = :pppp");
        assert_eq!(without_placeholders("a IN (?, ?) AND b ?| c AND d = ?1"), "a IN (0, 0) AND b ?| c AND d = ?1");
    }
}
