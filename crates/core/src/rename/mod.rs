//! Which lost and new names are the same thing: evidence, scores, and one best assignment.

mod assign;
mod evidence;
mod map;
mod numbers;
mod score;
pub(crate) mod trail;

pub use assign::{Rename, find_renames};
pub use evidence::{CertainRename, Evidence, Former, Known, RenamePolicy};
pub(crate) use map::gone_name;
pub use map::{RenameMap, without_gone};
