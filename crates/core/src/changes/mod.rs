//! What changed between two schemas.

mod change;
mod compare;

pub use change::{Change, ChangeKind};
pub use compare::{Comparison, compare};
