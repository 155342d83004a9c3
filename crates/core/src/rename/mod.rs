//! Which lost and new names are the same thing: evidence, scores, and one best assignment.

mod assign;
mod evidence;
mod map;
mod score;

pub use assign::{Rename, find_renames};
pub use evidence::{Evidence, Former, Known, RenamePolicy};
pub use map::RenameMap;
