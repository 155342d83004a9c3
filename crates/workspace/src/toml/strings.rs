//! Where each byte of a string's value stands in its spelling.

/// Maps offsets of the value to offsets of the spelling (`raw`, quotes included). `None` where an offset falls
/// inside what an escape stands for. The last entry is the end of the content.
pub fn offsets(raw: &str) -> Vec<Option<usize>> {
    let (open, close, escapes) = match raw {
        _ if raw.starts_with("\"\"\"") => (3, 3, true),
        _ if raw.starts_with("'''") => (3, 3, false),
        _ if raw.starts_with('"') => (1, 1, true),
        _ => (1, 1, false),
    };
    let end = raw.len().saturating_sub(close);
    let mut at = open;
    if open == 3 {
        // A line break right after the opening quotes isn't part of the value.
        if raw[at..].starts_with("\r\n") {
            at += 2;
        } else if raw[at..].starts_with('\n') {
            at += 1;
        }
    }
    let mut map = Vec::new();
    while at < end {
        let rest = &raw[at..end];
        let Some(first) = rest.chars().next() else { break };
        if escapes && first == '\\' {
            let (length, value_length) = escape(rest);
            map.push((value_length > 0).then_some(at));
            map.extend(std::iter::repeat_n(None, value_length.saturating_sub(1)));
            if value_length == 0 {
                map.pop();
            }
            at += length;
        } else {
            map.push(Some(at));
            map.extend((1..first.len_utf8()).map(|_| None));
            at += first.len_utf8();
        }
    }
    map.push(Some(end));
    map
}

/// The length of an escape in the spelling and in the value.
fn escape(rest: &str) -> (usize, usize) {
    let hex = |digits: usize| {
        let value = rest.get(2..2 + digits).and_then(|h| u32::from_str_radix(h, 16).ok()).and_then(char::from_u32);
        (2 + digits, value.map_or(1, char::len_utf8))
    };
    match rest.as_bytes().get(1) {
        Some(b'u') => hex(4),
        Some(b'U') => hex(8),
        Some(b'x') => hex(2),
        Some(b'\n' | b'\r' | b' ' | b'\t') => {
            // A backslash at the end of a line swallows the break and what blanks follow.
            let body = &rest[1..];
            (1 + body.len() - body.trim_start().len(), 0)
        }
        _ => (2, 1),
    }
}

/// Whether text can stand inside this kind of string as it is.
pub fn fits(raw: &str, text: &str) -> bool {
    if text.chars().any(char::is_control) {
        return false;
    }
    match raw.as_bytes().first() {
        Some(b'\'') => !text.contains('\''),
        _ => !text.contains(['"', '\\']),
    }
}

/// Text as the content of a basic string.
pub fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            '\r' => out.push_str("\\r"),
            c if c.is_control() => out.push_str(&format!("\\u{:04x}", u32::from(c))),
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_offset_of_the_value_is_found_in_its_spelling() {
        for raw in [r#""a \"b\" ü \u00e9 c""#, "'a \\ b'", "\"\"\"\na\r\n  b \\\n   c\"\"\"", "'''x'y'''"] {
            let value: String = super::super::parse(&format!("v = {raw}")).unwrap().get("v").unwrap().as_text().unwrap().to_owned();
            let map = offsets(raw);
            assert_eq!(map.len(), value.len() + 1, "{raw}: {value:?}");
            for word in ["a", "b", "c", "x", "y"] {
                if let Some(at) = value.find(word) {
                    assert!(raw[map[at].unwrap()..].starts_with(word), "{word} in {raw}");
                }
            }
        }
    }
}
