//! Every key of a file with its path: one table may be spelled by headers, dotted keys and inline tables, so that a
//! key that is renamed stands in several places.

use std::ops::Range;
use toml_parser::decoder::Encoding;
use toml_parser::parser::{EventReceiver, RecursionGuard, parse_document};
use toml_parser::{ErrorSink, Source, Span};

/// What stands in a path for a member of an array.
const MEMBER: &str = "[]";

/// How deep tables and arrays may be in each other.
const DEPTH: u32 = 100;

/// The bytes of every spelling of the key at a path; tables inside arrays have none.
pub(super) fn spellings(text: &str, path: &[String]) -> Vec<Range<usize>> {
    let mark = super::parse::mark_length(text);
    let source = Source::new(&text[mark..]);
    let tokens = source.lex().into_vec();
    let mut walk = Walk {
        text: &text[mark..],
        found: Vec::new(),
        outer: Vec::new(),
        base: Vec::new(),
        keys: Vec::new(),
        is_header: false,
        is_value: false,
    };
    parse_document(&tokens, &mut RecursionGuard::new(&mut walk, DEPTH), &mut ());
    walk.found.into_iter().filter(|(own, _)| own == path).map(|(_, at)| at.start + mark..at.end + mark).collect()
}

struct Walk<'a> {
    text: &'a str,
    found: Vec<(Vec<String>, Range<usize>)>,
    /// Base and keys around an inline table or array.
    outer: Vec<(Vec<String>, Vec<String>)>,
    /// The path of the table that keys are in.
    base: Vec<String>,
    /// The dotted key so far.
    keys: Vec<String>,
    is_header: bool,
    /// Whether the dotted key's value has begun.
    is_value: bool,
}

impl Walk<'_> {
    fn enter(&mut self, member: Option<&str>) {
        let inner = [self.base.as_slice(), &self.keys].concat().into_iter().chain(member.map(str::to_owned)).collect();
        self.outer.push((std::mem::replace(&mut self.base, inner), std::mem::take(&mut self.keys)));
        self.is_value = false;
    }

    fn leave(&mut self) {
        if let Some((base, keys)) = self.outer.pop() {
            (self.base, self.keys) = (base, keys);
        }
        self.is_value = true;
    }

    fn header(&mut self) {
        (self.base, self.keys) = (Vec::new(), Vec::new());
        self.is_header = true;
        self.is_value = false;
    }
}

impl EventReceiver for Walk<'_> {
    fn std_table_open(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.header();
    }

    fn array_table_open(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.header();
    }

    fn std_table_close(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.is_header = false;
    }

    fn array_table_close(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.is_header = false;
        self.base.push(MEMBER.to_owned());
    }

    fn inline_table_open(&mut self, _: Span, _: &mut dyn ErrorSink) -> bool {
        self.enter(None);
        true
    }

    fn inline_table_close(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.leave();
    }

    fn array_open(&mut self, _: Span, _: &mut dyn ErrorSink) -> bool {
        self.enter(Some(MEMBER));
        true
    }

    fn array_close(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.leave();
    }

    fn simple_key(&mut self, span: Span, _: Option<Encoding>, _: &mut dyn ErrorSink) {
        let at = span.start()..span.end();
        let key = self.text.get(at.clone()).and_then(|raw| toml_edit::Key::parse(raw).ok()?.pop()).map(|key| key.get().to_owned());
        let Some(key) = key else { return };
        if self.is_header {
            self.base.push(key);
            self.found.push((self.base.clone(), at));
            return;
        }
        if std::mem::take(&mut self.is_value) {
            self.keys.clear();
        }
        self.keys.push(key);
        self.found.push(([self.base.as_slice(), &self.keys].concat(), at));
    }

    fn key_val_sep(&mut self, _: Span, _: &mut dyn ErrorSink) {
        self.is_value = true;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_key_is_found_however_its_table_is_spelled() {
        let path: Vec<String> = ["field", "a"].map(str::to_owned).to_vec();
        for (text, count) in [
            ("[field.a]\nkind = \"text\"\n[field.a.lookup]\nentity = \"a\"\n[field.b]\na = 1\n", 2),
            ("\u{feff}[field]\r\na.kind = \"text\"\r\na.label = { a = 1 }\r\nb = { a = 1 }", 2),
            ("field = { a.kind = \"text\", a.label = \"A\", b = { kind = [{ a = 1 }] } }", 2),
            ("field.\"a\".kind = 1\nfield . 'a' . label = \"# a\" # field.a\n[a]\nfield.a = 1", 2),
            ("[[field]]\na = 1\n[page.a]\nfield = [\"a\"]", 0),
            ("x = [[1, 2], [{ y = 1 }]]\nfield.a = [\n1,\n]\nfield.b = 1", 1),
        ] {
            let found = spellings(text, &path);
            assert!(found.iter().all(|at| ["a", "\"a\"", "'a'"].contains(&&text[at.clone()])), "{text}: {found:?}");
            assert_eq!(found.len(), count, "{text}");
        }
    }
}
