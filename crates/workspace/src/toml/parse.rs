//! Text → the definition's tree of values, each with its place.

use std::ops::Range;
use toml_edit::{Document, Item, TableLike, Value as TomlValue};
use ysomorph_core::definition::{At, Entry, Node, Value};

/// Why a text isn't TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ParseError {
    /// Where.
    pub at: At,
    /// What is wrong.
    pub message: String,
}

/// The length of a byte order mark, if the text has one.
fn mark_length(text: &str) -> usize {
    if text.starts_with('\u{feff}') { 3 } else { 0 }
}

/// Everything in a text that isn't TOML, in the order of places: the reader itself stops at the first.
pub fn errors(text: &str) -> Vec<ParseError> {
    let mark = mark_length(text);
    let lines = Lines::of(text);
    let (_, errors) = ::toml::de::DeTable::parse_recoverable(&text[mark..]);
    let told = errors.into_iter().map(|error| {
        let offset = error.span().map_or(0, |span| span.start) + mark;
        ParseError { at: lines.at(text, offset), message: error.message().trim().replace('\n', "; ") }
    });
    let mut all: Vec<ParseError> = told.collect();
    all.sort_by_key(|e| e.at);
    // What follows from an error on the same line is no other; after an array or text that never ends, nothing is.
    all.dedup_by_key(|e| e.at.line);
    let endless = |e: &ParseError| ["array", "inline table", "string"].iter().any(|w| e.message.contains(w));
    if let Some(first) = all.iter().position(endless) {
        all.truncate(first + 1);
    }
    all
}

/// Reads a file.
pub fn parse(text: &str) -> Result<Node, ParseError> {
    let mark = mark_length(text);
    let lines = Lines::of(text);
    let document = Document::parse(&text[mark..]).map_err(|error| {
        let offset = error.span().map_or(0, |span| span.start) + mark;
        ParseError { at: lines.at(text, offset), message: error.message().trim().replace('\n', "; ") }
    })?;
    let reader = Reader { text, mark, lines };
    Ok(reader.table(document.as_table()))
}

/// Byte offsets of line starts.
struct Lines(Vec<usize>);

impl Lines {
    fn of(text: &str) -> Lines {
        Lines(std::iter::once(0).chain(text.bytes().enumerate().filter(|(_, b)| *b == b'\n').map(|(at, _)| at + 1)).collect())
    }

    fn at(&self, text: &str, offset: usize) -> At {
        let line = self.0.partition_point(|start| *start <= offset).max(1);
        let start = self.0.get(line - 1).copied().unwrap_or(0);
        let characters = text.get(start..offset).map_or(0, |t| t.trim_start_matches('\u{feff}').chars().count());
        let number = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        At { line: number(line), column: number(characters + 1) }
    }
}

struct Reader<'a> {
    text: &'a str,
    mark: usize,
    lines: Lines,
}

impl Reader<'_> {
    fn span(&self, span: Option<Range<usize>>) -> Range<usize> {
        span.map_or(0..0, |s| s.start + self.mark..s.end + self.mark)
    }

    fn table(&self, table: &dyn TableLike) -> Node {
        let mut entries = Vec::new();
        for (key, _) in table.iter() {
            let Some((written, item)) = table.get_key_value(key) else { continue };
            let at = self.lines.at(self.text, self.span(written.span()).start);
            entries.push(Entry { key: key.to_owned(), at, node: self.item(item) });
        }
        Node::new(Value::Table(entries))
    }

    /// A table with the place of its header.
    fn placed(&self, table: &toml_edit::Table) -> Node {
        Node { at: self.lines.at(self.text, self.span(table.span()).start), ..self.table(table) }
    }

    fn item(&self, item: &Item) -> Node {
        match item {
            Item::Value(value) => self.value(value),
            Item::Table(table) => self.placed(table),
            Item::ArrayOfTables(tables) => Node::new(Value::List(tables.iter().map(|table| self.placed(table)).collect())),
            Item::None => Node::table(),
        }
    }

    fn value(&self, value: &TomlValue) -> Node {
        let span = self.span(value.span());
        let written = self.text.get(span.clone()).unwrap_or_default();
        let content = match value {
            TomlValue::String(text) => Value::Text(text.value().clone()),
            TomlValue::Integer(number) => Value::Int(*number.value()),
            TomlValue::Boolean(truth) => Value::Bool(*truth.value()),
            TomlValue::Float(_) | TomlValue::Datetime(_) => Value::Other(written.to_owned()),
            TomlValue::Array(array) => Value::List(array.iter().map(|item| self.value(item)).collect()),
            TomlValue::InlineTable(table) => self.table(table).value,
        };
        let quote = if written.starts_with("\"\"\"") || written.starts_with("'''") { 3 } else { 1 };
        Node { value: content, at: self.lines.at(self.text, span.start), quote, tile: 0 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_know_their_places() {
        let text = "\u{feff}a = 'x'\r\n[field.\"ü\"]\r\nlabel = { one = \"é\", many = [1, true] }\r\n";
        let parsed = parse(text).unwrap();
        let one = parsed.at_path(&["field".into(), "ü".into(), "label".into(), "one".into()]).unwrap();
        assert_eq!((one.as_text(), one.at), (Some("é"), At { line: 3, column: 17 }));
        assert_eq!(parse("a = 1\nb = ").unwrap_err().at.line, 2);
    }
}
