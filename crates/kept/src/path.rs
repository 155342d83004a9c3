//! Keys as TOML writes them.

use toml::de::{DeTable, DeValue};

/// The parts of a key, each without its quotes.
pub(crate) fn parts(text: &str) -> Vec<String> {
    let text = text.trim();
    let is_bare = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'_' || b == b'-');
    // So are nearly all.
    if text.split('.').all(is_bare) {
        return text.split('.').map(str::to_owned).collect();
    }
    quoted_parts(text).unwrap_or_else(|| vec![text.to_owned()])
}

/// The same of any key; nothing where it isn't one.
fn quoted_parts(text: &str) -> Option<Vec<String>> {
    let line = format!("{text} = 0");
    let mut table = DeTable::parse(&line).ok()?.into_inner();
    let mut parts = Vec::new();
    loop {
        let (key, value) = table.into_iter().next()?;
        let end = key.span().end;
        parts.push(key.into_inner().into_owned());
        match value.into_inner() {
            DeValue::Table(inner) => table = inner,
            _ => return (end == text.len()).then_some(parts),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::parts;

    #[test]
    fn parts_have_no_quotes_whatever_stands_in_them() {
        for (text, expected) in [
            (" label ", &["label"][..]),
            ("field.name-2.label", &["field", "name-2", "label"]),
            ("field . \"a.b\"", &["field", "a.b"]),
            ("'it\\'.\"\\u00e9 \\\"x\\\"\"", &["it\\", "é \"x\""]),
            ("\"\"", &[""]),
            // What isn't a key stays whole.
            ("", &[""]),
            ("a..b", &["a..b"]),
            ("a = 1 #", &["a = 1 #"]),
        ] {
            assert_eq!(parts(text), expected, "{text}");
        }
    }
}
