//! Renders results for people and programs. It decides nothing and knows no command line.
//!
//! The same [`Report`] prints as text, travels as JSON and stands in a pipeline as JUnit; [`schema`] is the JSON Schema of the latter.

mod json;
mod junit;
mod report;
pub mod text;

pub use json::{json, schema, to_json, visible};
pub use junit::to_junit;
pub use report::{DrawnPage, EditReport, FileDiff, KeptReport, Order, PartReport, Rehearsal, Report, SchemaDigests, Totals};
