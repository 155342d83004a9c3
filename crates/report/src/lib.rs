//! Renders results for people and programs. It decides nothing and knows no command line.
//!
//! The same [`Report`] prints as text, opens in a browser, travels as JSON, stands in a pipeline as JUnit or SARIF, in a comment as Markdown
//! and in a spreadsheet as lists; [`schema`] is the JSON Schema of the JSON.

mod causes;
mod csv;
mod entry;
mod html;
mod hunks;
mod json;
mod jsonl;
mod junit;
mod lists;
mod markdown;
mod patch;
mod report;
mod sarif;
pub mod several;
mod stories;
pub mod text;
mod wording;
pub mod words;
mod xlsx;

pub use csv::{rows_to_csv, to_csv};
pub use entry::{AnswerReport, EntryReport};
pub use html::{BASE_STYLE, to_html};
pub use json::{json, schema, to_json, visible};
pub use jsonl::{several_jsonl, to_jsonl};
pub use junit::to_junit;
pub use markdown::to_markdown;
pub use patch::patch;
pub use report::{
    DrawnPage, EditReport, FileDiff, FollowUpReport, KeptReport, OpenFollowUp, Order, PageRecords, PartReport, PatchReport, Rehearsal,
    Report, Scene, SchemaDigests, Totals,
};
pub use sarif::{several_sarif, to_sarif};
pub use several::{Looked, OneOfMany, Several, Shared, several_schema};
pub use xlsx::{rows_to_xlsx, to_xlsx};

/// What `impact` found on several databases, as JSON.
pub fn several_json(several: &Several) -> String {
    json(several)
}
