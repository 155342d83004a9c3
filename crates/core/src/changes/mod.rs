//! What changed between two schemas.

mod change;
mod columns;
mod compare;
mod difference;
mod made_by;
mod objects;
mod tables;

pub use change::{Change, ChangeKind, MadeBy};
pub use compare::{Comparison, compare};
