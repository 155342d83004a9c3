//! Renders results for people and programs. It decides nothing and knows no command line.
//!
//! The same [`Report`] prints as text, travels as JSON and stands in a pipeline as JUnit; [`schema`] is the JSON Schema of the latter.

mod entry;
mod json;
mod junit;
mod patch;
mod report;
pub mod text;

pub use entry::{AnswerReport, EntryReport};
pub use json::{json, schema, to_json, visible};
pub use junit::to_junit;
pub use patch::patch;
pub use report::{
    DrawnPage, EditReport, FileDiff, FollowUpReport, KeptReport, OpenFollowUp, Order, PartReport, PatchReport, Rehearsal, Report,
    SchemaDigests, Totals,
};
