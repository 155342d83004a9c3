//! Reports as JSON, and the JSON Schema they validate against.

use crate::Report;
use serde::Serialize;
use ysomorph_core::name::{SEPARATOR, is_invisible};

/// A report as JSON, for programs.
pub fn to_json(report: &Report) -> String {
    json(report)
}

/// A value as JSON. Names of any script stay as they are; what can't be seen is escaped as JSON escapes, so that it is
/// the same value and can't steer a terminal.
pub fn json(value: &impl Serialize) -> String {
    // These plain types always serialise.
    without_separators(&visible(serde_json::to_string_pretty(value).unwrap_or_default())) + "\n"
}

/// A value as JSON in one line.
pub fn json_line(value: &impl Serialize) -> String {
    without_separators(&visible(serde_json::to_string(value).unwrap_or_default())) + "\n"
}

/// JSON in which qualified names have a dot, as people write it, wherever a text holds one.
fn without_separators(json: &str) -> String {
    let escape = format!("\\u{:04x}", u32::from(SEPARATOR));
    if !json.contains(&escape) {
        return json.to_owned();
    }
    let mut out = String::with_capacity(json.len());
    let mut rest = json;
    // A backslash that is itself escaped begins no escape.
    while let Some(at) = rest.find('\\') {
        let (before, from) = rest.split_at(at);
        out.push_str(before);
        let length = if from.starts_with(&escape) { escape.len() } else { from.chars().take(2).map(char::len_utf8).sum() };
        out.push_str(if from.starts_with(&escape) { "." } else { &from[..length] });
        rest = &from[length..];
    }
    out + rest
}

/// JSON with what can't be seen escaped.
pub fn visible(json: String) -> String {
    let hidden = |c: char| c > '\u{7e}' && is_invisible(c);
    if !json.contains(hidden) {
        return json;
    }
    let mut out = String::with_capacity(json.len());
    for c in json.chars() {
        if hidden(c) {
            let mut units = [0; 2];
            c.encode_utf16(&mut units).iter().for_each(|unit| out.push_str(&format!("\\u{unit:04x}")));
        } else {
            out.push(c);
        }
    }
    out
}

/// The JSON Schema of reports.
pub fn schema() -> String {
    let schema = schemars::schema_for!(Report);
    let mut text = serde_json::to_string_pretty(&schema).unwrap_or_default();
    text.push('\n');
    text
}

#[cfg(test)]
mod tests {
    #[test]
    fn what_can_not_be_seen_is_escaped_and_reads_back() {
        let value = "a\u{202e}b\u{9b}c\u{e0041}d\u{feff}e\u{7f}ü🐝";
        let text = super::json(&value);
        assert!(text.chars().all(|c| c == '\n' || !ysomorph_core::name::is_invisible(c)), "{text:?}");
        assert!(text.contains("\\u202e") && text.contains("\\udb40\\udc41") && text.contains("ü🐝"), "{text}");
        assert_eq!(serde_json::from_str::<String>(&text).unwrap(), value);
        // No internal form of a name leaves the program.
        let value = "sales\u{1f}order and \\u001f ü\\\u{1f}";
        assert_eq!(serde_json::from_str::<String>(&super::json(&value)).unwrap(), "sales.order and \\u001f ü\\.");
    }
}
