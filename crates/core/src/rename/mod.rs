//! Which lost and new names are the same thing: evidence, scores, and one best assignment.

mod alike;
mod applied;
mod assign;
mod chance;
mod evidence;
mod matching;
#[cfg(test)]
mod measured;
mod numbers;
mod score;
mod signs;
mod tables;
mod trail;
mod vanished;
mod weights;

pub use crate::name::RenameMap;
pub use assign::{Rename, find_renames};
pub use evidence::{CertainRename, Evidence, Former, Known, RenamePolicy};
pub(crate) use trail::since as logged_since;
pub(crate) use vanished::gone_name;
pub use vanished::without_gone;
