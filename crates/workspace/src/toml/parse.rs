//! Text → the definition's tree of values, each with its place.

use ::toml::Spanned;
use ::toml::de::{DeTable, DeValue, Error};
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
    let places = Places::of(text);
    let (_, errors) = DeTable::parse_recoverable(&text[places.mark..]);
    let mut all: Vec<ParseError> = errors.iter().map(|error| places.error(error)).collect();
    all.sort_by_key(|e| e.at);
    // What follows from an error on the same line is no other; after an array or text that never ends, nothing is.
    all.dedup_by_key(|e| e.at.line);
    let endless = |e: &ParseError| ["array", "inline table", "string"].iter().any(|w| e.message.contains(w));
    if let Some(first) = all.iter().position(endless) {
        all.truncate(first + 1);
    }
    all
}

/// Reads a file. A whole number beyond 64 bits is an error.
pub fn parse(text: &str) -> Result<Node, ParseError> {
    let places = Places::of(text);
    let table = DeTable::parse(&text[places.mark..]).map_err(|error| places.error(&error))?;
    Ok(Node::new(places.table(table.into_inner())?))
}

/// Reads a value that stands by itself: it has no place.
pub(crate) fn parse_value(text: &str) -> Option<Node> {
    let nowhere = Places { text, mark: 0, lines: Vec::new() };
    nowhere.value(DeValue::parse(text).ok()?).ok()
}

/// Where what stands in a text stands.
struct Places<'a> {
    text: &'a str,
    mark: usize,
    /// Byte offsets of line starts; none where places don't count.
    lines: Vec<usize>,
}

impl<'a> Places<'a> {
    fn of(text: &'a str) -> Places<'a> {
        let ends = text.bytes().enumerate().filter(|(_, b)| *b == b'\n').map(|(at, _)| at + 1);
        Places { text, mark: mark_length(text), lines: std::iter::once(0).chain(ends).collect() }
    }

    /// The place of an offset that is counted behind the mark.
    fn at(&self, offset: usize) -> At {
        let offset = offset + self.mark;
        let line = self.lines.partition_point(|start| *start <= offset);
        let Some(start) = line.checked_sub(1).and_then(|before| self.lines.get(before)).copied() else { return At::default() };
        let characters = self.text.get(start..offset).map_or(0, |t| t.trim_start_matches('\u{feff}').chars().count());
        let number = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        At { line: number(line), column: number(characters + 1) }
    }

    fn error(&self, error: &Error) -> ParseError {
        let offset = error.span().map_or(0, |span| span.start);
        ParseError { at: self.at(offset), message: error.message().trim().replace('\n', "; ") }
    }

    /// Entries in the order of the text; the reader sorts them by name.
    fn table(&self, table: DeTable<'_>) -> Result<Value, ParseError> {
        let mut all: Vec<_> = table.into_iter().collect();
        all.sort_unstable_by_key(|(key, _)| key.span().start);
        let entry = |(key, value): (Spanned<_>, _)| {
            let at = self.at(key.span().start);
            let key: std::borrow::Cow<'_, str> = key.into_inner();
            Ok(Entry { key: key.into_owned(), at, node: self.value(value)? })
        };
        all.into_iter().map(entry).collect::<Result<_, _>>().map(Value::Table)
    }

    fn value(&self, value: Spanned<DeValue<'_>>) -> Result<Node, ParseError> {
        let at = self.at(value.span().start);
        let written = self.written(&value);
        let is_headed = has_header(&value, written);
        let content = match value.into_inner() {
            DeValue::String(text) => Value::Text(text.into_owned()),
            DeValue::Integer(number) => match i64::from_str_radix(number.as_str(), number.radix()) {
                Ok(number) => Value::Int(number),
                Err(_) => return Err(ParseError { at, message: "integer number overflowed".to_owned() }),
            },
            DeValue::Boolean(truth) => Value::Bool(truth),
            DeValue::Float(_) | DeValue::Datetime(_) => Value::Other(written.to_owned()),
            DeValue::Array(array) => {
                let are_headed = array.first().is_some_and(|first| has_header(first, self.written(first)));
                let items = Value::List(array.into_iter().map(|item| self.value(item)).collect::<Result<_, _>>()?);
                // Each table has its place, their list has none.
                if are_headed {
                    return Ok(Node::new(items));
                }
                items
            }
            DeValue::Table(table) => self.table(table)?,
        };
        let quote = match written.get(..3) {
            _ if is_headed || self.lines.is_empty() => 0,
            Some("\"\"\"" | "'''") => 3,
            _ => 1,
        };
        Ok(Node { value: content, at, quote, tile: 0 })
    }

    fn written(&self, value: &Spanned<DeValue<'_>>) -> &'a str {
        let span = value.span();
        self.text.get(span.start + self.mark..span.end + self.mark).unwrap_or_default()
    }
}

/// Whether it is a table that stands under its own header, or is begun by longer keys: not within braces.
fn has_header(value: &Spanned<DeValue<'_>>, written: &str) -> bool {
    matches!(value.get_ref(), DeValue::Table(_)) && !written.starts_with('{')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_by_itself_has_no_place() {
        let value = parse_value("{ b = 'x', a = [0x10, 1.0] }").unwrap();
        let entries: Vec<_> = value.entries().iter().map(|e| (e.key.as_str(), e.at, e.node.at, e.node.quote)).collect();
        assert_eq!(entries, [("b", At::default(), At::default(), 0), ("a", At::default(), At::default(), 0)]);
        assert!(parse_value("").is_none() && parse_value("1 2").is_none());
    }

    #[test]
    fn keys_keep_their_order_and_tables_their_places() {
        let text = "z.y = 1\na = { x = 2, b = 3 }\n[[list]]\nname = '''n'''\n[field.one]\n[field]\nm = 99999999999999999999\n";
        let error = parse(text).unwrap_err();
        assert_eq!((error.at, error.message.as_str()), (At { line: 7, column: 5 }, "integer number overflowed"));
        let parsed = parse(&text.replace("99999999999999999999", "0b11")).unwrap();
        let mut told = String::new();
        each(&parsed, "", &mut told);
        let expected = "z 1:1 1:1, z/y 1:3 1:7, a 2:1 2:5, a/x 2:7 2:11, a/b 2:14 2:18, list 3:3 0:0, list/0/name 4:1 4:8, \
                        field 6:2 6:1, field/one 5:8 5:1, field/m 7:1 7:5, ";
        assert_eq!(told, expected);
    }

    /// Keys with their places, and the places of what they hold.
    fn each(node: &Node, path: &str, told: &mut String) {
        let place = |at: At| format!("{}:{}", at.line, at.column);
        for Entry { key, at, node } in node.entries() {
            told.push_str(&format!("{path}{key} {} {}, ", place(*at), place(node.at)));
            each(node, &format!("{path}{key}/"), told);
        }
        node.items().iter().enumerate().for_each(|(at, item)| each(item, &format!("{path}{at}/"), told));
    }

    #[test]
    fn values_know_their_places() {
        let text = "\u{feff}a = 'x'\r\n[field.\"ü\"]\r\nlabel = { one = \"é\", many = [1, true] }\r\n";
        let parsed = parse(text).unwrap();
        let one = parsed.at_path(&["field".into(), "ü".into(), "label".into(), "one".into()]).unwrap();
        assert_eq!((one.as_text(), one.at), (Some("é"), At { line: 3, column: 17 }));
        assert_eq!(parse("a = 1\nb = ").unwrap_err().at.line, 2);
    }
}
