//! Replacing pieces of a string's value in its spelling.

use super::strings::{escaped, fits, offsets};
use std::ops::Range;

/// Replaces pieces of the string whose spelling stands at `span`: byte ranges of its value and new text, in
/// order. Only the pieces' own bytes change.
pub fn splice_value(text: &str, span: &Range<usize>, pieces: &[(Range<usize>, String)]) -> Option<String> {
    let raw = text.get(span.clone())?;
    let map = offsets(raw);
    let mut edited = raw.to_owned();
    for (range, new) in pieces.iter().rev() {
        let (start, end) = (map.get(range.start).copied().flatten()?, map.get(range.end).copied().flatten()?);
        let new = match () {
            () if fits(raw, new) => new.clone(),
            () if raw.starts_with('"') => escaped(new),
            // A literal string can't hold it: the whole value becomes a basic string.
            () => return rewritten(text, span, pieces),
        };
        edited.replace_range(start..end, &new);
    }
    Some(format!("{}{edited}{}", &text[..span.start], &text[span.end..]))
}

fn rewritten(text: &str, span: &Range<usize>, pieces: &[(Range<usize>, String)]) -> Option<String> {
    let alone = format!("v = {}", text.get(span.clone())?);
    let parsed = super::parse(&alone).ok()?;
    let mut value = parsed.node.get("v")?.as_text()?.to_owned();
    for (range, new) in pieces.iter().rev() {
        value.replace_range(range.clone(), new);
    }
    Some(format!("{}\"{}\"{}", &text[..span.start], escaped(&value), &text[span.end..]))
}
