//! Text → the definition's tree of values, and beside it where every value's bytes are.

use std::ops::Range;
use toml_edit::{Document, Item, TableLike, Value as TomlValue};
use ysomorph_core::definition::{At, Entry, Node, Seg, Value};

/// A file read.
#[derive(Debug)]
pub struct Parsed<'a> {
    /// The text, byte order mark included.
    pub text: &'a str,
    /// Its values.
    pub node: Node,
    pub(super) syntax: Syntax,
}

/// Why a text isn't TOML.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ParseError {
    /// Where.
    pub at: At,
    /// What is wrong.
    pub message: String,
}

/// Where a value's bytes are.
#[derive(Debug)]
pub(super) struct Syntax {
    /// The value's bytes; the header's for a table with one.
    pub span: Range<usize>,
    pub kind: Form,
}

/// How a value is spelled.
#[derive(Debug)]
pub(super) enum Form {
    Scalar,
    Array(Vec<Syntax>),
    /// Key, the key's bytes, value.
    Inline(Vec<(String, Range<usize>, Syntax)>),
    /// A table by header or dotted keys; `header` where it has one of its own.
    Table {
        header: bool,
        entries: Vec<(String, Range<usize>, Syntax)>,
    },
    /// `[[…]]`
    Tables(Vec<Syntax>),
}

impl Syntax {
    /// The syntax down a path.
    pub fn at(&self, path: &[Seg]) -> Option<&Syntax> {
        path.iter().try_fold(self, |syntax, seg| match (&syntax.kind, seg) {
            (Form::Inline(entries) | Form::Table { entries, .. }, Seg::Key(key)) => {
                entries.iter().find(|(k, ..)| k == key).map(|(_, _, s)| s)
            }
            (Form::Array(items) | Form::Tables(items), Seg::Index(at)) => items.get(*at),
            _ => None,
        })
    }
}

/// The length of a byte order mark, if the text has one.
pub(super) fn mark_length(text: &str) -> usize {
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
pub fn parse(text: &str) -> Result<Parsed<'_>, ParseError> {
    let mark = mark_length(text);
    let lines = Lines::of(text);
    let document = Document::parse(&text[mark..]).map_err(|error| {
        let offset = error.span().map_or(0, |span| span.start) + mark;
        ParseError { at: lines.at(text, offset), message: error.message().trim().replace('\n', "; ") }
    })?;
    let reader = Reader { text, mark, lines };
    let (node, entries) = reader.table(document.as_table());
    Ok(Parsed { text, node, syntax: Syntax { span: mark..mark, kind: Form::Table { header: false, entries } } })
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

type Entries = Vec<(String, Range<usize>, Syntax)>;

struct Reader<'a> {
    text: &'a str,
    mark: usize,
    lines: Lines,
}

impl Reader<'_> {
    fn span(&self, span: Option<Range<usize>>) -> Range<usize> {
        span.map_or(0..0, |s| s.start + self.mark..s.end + self.mark)
    }

    fn table(&self, table: &dyn TableLike) -> (Node, Entries) {
        let (mut entries, mut syntax) = (Vec::new(), Vec::new());
        for (key, _) in table.iter() {
            let Some((written, item)) = table.get_key_value(key) else { continue };
            let key_span = self.span(written.span());
            let (node, form) = self.item(item);
            entries.push(Entry { key: key.to_owned(), at: self.lines.at(self.text, key_span.start), node });
            syntax.push((key.to_owned(), key_span, form));
        }
        (Node::new(Value::Table(entries)), syntax)
    }

    fn item(&self, item: &Item) -> (Node, Syntax) {
        match item {
            Item::Value(value) => self.value(value),
            Item::Table(table) => {
                let (mut node, entries) = self.table(table);
                let header = !table.is_implicit() && !table.is_dotted();
                let span = self.span(table.span());
                node.at = self.lines.at(self.text, span.start);
                (node, Syntax { span, kind: Form::Table { header, entries } })
            }
            Item::ArrayOfTables(tables) => {
                let (nodes, forms): (Vec<Node>, Vec<Syntax>) = tables
                    .iter()
                    .map(|table| {
                        let (mut node, entries) = self.table(table);
                        let span = self.span(table.span());
                        node.at = self.lines.at(self.text, span.start);
                        (node, Syntax { span, kind: Form::Table { header: true, entries } })
                    })
                    .unzip();
                (Node::new(Value::List(nodes)), Syntax { span: 0..0, kind: Form::Tables(forms) })
            }
            Item::None => (Node::table(), Syntax { span: 0..0, kind: Form::Scalar }),
        }
    }

    fn value(&self, value: &TomlValue) -> (Node, Syntax) {
        let span = self.span(value.span());
        let written = self.text.get(span.clone()).unwrap_or_default();
        let (content, kind) = match value {
            TomlValue::String(text) => (Value::Text(text.value().clone()), Form::Scalar),
            TomlValue::Integer(number) => (Value::Int(*number.value()), Form::Scalar),
            TomlValue::Boolean(truth) => (Value::Bool(*truth.value()), Form::Scalar),
            TomlValue::Float(_) | TomlValue::Datetime(_) => (Value::Other(written.to_owned()), Form::Scalar),
            TomlValue::Array(array) => {
                let (nodes, forms) = array.iter().map(|item| self.value(item)).unzip();
                (Value::List(nodes), Form::Array(forms))
            }
            TomlValue::InlineTable(table) => {
                // `{ label.one = "…" }`: dotted keys inside an inline table have no value span of their own.
                let (node, entries) = self.table(table);
                (node.value, Form::Inline(entries))
            }
        };
        let quote = if written.starts_with("\"\"\"") || written.starts_with("'''") { 3 } else { 1 };
        let node = Node { value: content, at: self.lines.at(self.text, span.start), quote };
        (node, Syntax { span, kind })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_know_their_places() {
        let text = "\u{feff}a = 'x'\r\n[field.\"ü\"]\r\nlabel = { one = \"é\", many = [1, true] }\r\n";
        let parsed = parse(text).unwrap();
        let one = parsed.node.at_path(&["field".into(), "ü".into(), "label".into(), "one".into()]).unwrap();
        assert_eq!((one.as_text(), one.at), (Some("é"), At { line: 3, column: 17 }));
        let syntax = parsed.syntax.at(&["field".into(), "ü".into(), "label".into(), "many".into(), Seg::Index(1)]).unwrap();
        assert_eq!(&text[syntax.span.clone()], "true");
        assert_eq!(parse("a = 1\nb = ").unwrap_err().at.line, 2);
    }
}
