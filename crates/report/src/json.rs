//! Reports as JSON, and the JSON Schema they validate against.

use crate::Report;

/// A report as JSON, for programs. Non-ASCII names stay as they are; control characters are escaped by JSON itself.
pub fn to_json(report: &Report) -> String {
    // These plain types always serialise.
    let mut text = serde_json::to_string_pretty(report).unwrap_or_default();
    text.push('\n');
    text
}

/// The JSON Schema of reports.
pub fn schema() -> String {
    let schema = schemars::schema_for!(Report);
    let mut text = serde_json::to_string_pretty(&schema).unwrap_or_default();
    text.push('\n');
    text
}
