//! Where strings, comments and values end, in a text that is known to be TOML.

/// The byte after a string that begins here.
pub(crate) fn string_end(text: &str, start: usize) -> usize {
    let rest = text.get(start..).unwrap_or_default();
    let quote = rest.get(..1).unwrap_or_default();
    let triple = quote.repeat(3);
    let many = rest.starts_with(&triple);
    let close = if many { triple.as_str() } else { quote };
    let escapes = quote == "\"";
    let mut at = start + close.len();
    while let Some(c) = text.get(at..).and_then(|t| t.chars().next()) {
        if escapes && c == '\\' {
            at += 1 + text.get(at + 1..).and_then(|t| t.chars().next()).map_or(0, char::len_utf8);
        } else if text.get(at..).is_some_and(|t| t.starts_with(close)) {
            at += close.len();
            // Up to two more quotes may end the text itself.
            let more =
                if many { text.get(at..).unwrap_or_default().bytes().take(2).take_while(|b| quote.as_bytes() == [*b]).count() } else { 0 };
            return at + more;
        } else {
            at += c.len_utf8();
        }
    }
    text.len()
}

/// The byte of the end of the line that holds one, before its terminator.
pub(crate) fn line_stop(text: &str, at: usize) -> usize {
    let stop = text.get(at..).and_then(|t| t.find('\n')).map_or(text.len(), |n| at + n);
    if stop > at && text.as_bytes().get(stop.wrapping_sub(1)) == Some(&b'\r') && stop < text.len() { stop - 1 } else { stop }
}

/// The byte after the line that holds one, with its terminator.
pub(crate) fn line_end(text: &str, at: usize) -> usize {
    text.get(at..).and_then(|t| t.find('\n')).map_or(text.len(), |n| at + n + 1)
}

/// The byte after blanks on a line.
pub(crate) fn after_blanks(text: &str, at: usize) -> usize {
    at + text.get(at..).map_or(0, |t| t.len() - t.trim_start_matches([' ', '\t']).len())
}

/// The byte after blanks, line breaks and comments.
pub(crate) fn after_space(text: &str, mut at: usize) -> usize {
    loop {
        at += text.get(at..).map_or(0, |t| t.len() - t.trim_start_matches([' ', '\t', '\r', '\n']).len());
        if text.as_bytes().get(at) != Some(&b'#') {
            return at;
        }
        at = line_stop(text, at);
    }
}

/// The byte of the first of these signs outside of strings.
pub(crate) fn find_outside(text: &str, mut at: usize, signs: &[u8]) -> usize {
    while let Some(byte) = text.as_bytes().get(at) {
        if signs.contains(byte) {
            return at;
        }
        at = if matches!(byte, b'"' | b'\'') { string_end(text, at) } else { at + 1 };
    }
    text.len()
}

/// The byte after a value of one piece: a string, or letters up to what can't be of it.
pub(crate) fn plain_end(text: &str, start: usize) -> usize {
    match text.as_bytes().get(start) {
        Some(b'"' | b'\'') => string_end(text, start),
        _ => {
            let stop = find_outside(text, start, b",]}#\n");
            start + text.get(start..stop).map_or(0, |t| t.trim_end().len())
        }
    }
}
