//! What tests beside the code are written in: schemas, changes of them, definitions and cases of rules, in a few words.

mod case;
mod definition;
mod merging;
mod rules;
mod schema;
mod steps;

pub use definition::{drafted, edit};
pub use merging::{closed_as_said, draft_as_said, merge_as_said, merged_otherwise};
pub use rules::hold;
pub use schema::{schema, schema_on};
pub use steps::step;
