//! Renders results for people and programs. It decides nothing and knows no command line.
//!
//! The same [`Report`] prints as text and travels as JSON; [`schema`] is the JSON Schema of the latter.

mod json;
mod report;
pub mod text;

pub use json::{schema, to_json};
pub use report::{EditReport, FileDiff, KeptReport, PartReport, Report, SchemaDigests, Totals};
