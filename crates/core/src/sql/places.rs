//! From the parser's places, lines and characters from 1, to bytes of the text.

use crate::name;
use sqlparser::ast::Ident;
use sqlparser::tokenizer::{Location, Span};
use std::cell::RefCell;
use std::collections::BTreeMap;
use std::ops::Range;

/// A text whose places are looked for again and again.
#[derive(Debug)]
pub(super) struct Places<'t> {
    text: &'t str,
    /// The byte each line starts at.
    lines: Vec<usize>,
    /// The bytes of the characters of lines that aren't plain ASCII, made when they are first asked for.
    wide: RefCell<BTreeMap<usize, Vec<usize>>>,
}

impl<'t> Places<'t> {
    pub fn of(text: &'t str) -> Places<'t> {
        let lines = std::iter::once(0).chain(text.match_indices('\n').map(|(at, _)| at + 1)).collect();
        Places { text, lines, wide: RefCell::default() }
    }

    /// The byte at a place; the text's end for one behind it.
    pub fn byte(&self, at: Location) -> usize {
        let number = |n: u64| usize::try_from(n).unwrap_or(1).saturating_sub(1);
        let (line, column) = (number(at.line), number(at.column));
        let Some(start) = self.lines.get(line).copied() else { return self.text.len() };
        let end = self.lines.get(line + 1).copied().unwrap_or(self.text.len());
        let Some(content) = self.text.get(start..end) else { return self.text.len() };
        if content.is_ascii() {
            return start + column.min(content.len());
        }
        let mut wide = self.wide.borrow_mut();
        let offsets = wide.entry(line).or_insert_with(|| content.char_indices().map(|(at, _)| at).collect());
        start + offsets.get(column).copied().unwrap_or(content.len())
    }

    fn bytes(&self, span: Span) -> Option<Range<usize>> {
        (span.start.line > 0).then(|| self.byte(span.start)..self.byte(span.end))
    }

    /// The bytes of an identifier, quotes included.
    pub fn of_name(&self, ident: &Ident) -> Option<Range<usize>> {
        let range = self.bytes(ident.span)?;
        // The range must really hold the name, quotes aside: a wrong one would rewrite something else.
        let written = self.text.get(range.clone())?;
        (name::unquoted(written) == ident.value).then_some(range)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_counted_in_characters_and_found_in_bytes() {
        let text = "ab\n\u{fc}x \u{1f41d}y\r\n\nz";
        let places = Places::of(text);
        for (line, column, expected) in [(1, 1, "a"), (1, 2, "b"), (2, 1, "ü"), (2, 2, "x"), (2, 5, "y"), (4, 1, "z")] {
            assert!(text[places.byte(Location { line, column })..].starts_with(expected), "{line}:{column}");
        }
        for (line, column) in [(4, 2), (9, 1), (4, 99)] {
            assert_eq!(places.byte(Location { line, column }), text.len());
        }
    }
}
