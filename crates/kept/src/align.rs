//! Two rows of things, aligned.

use similar::DiffOp;
use similar::algorithms::{Capture, Compact, Replace, myers};
use std::hash::Hash;

/// What leads from one row to another, by Myers' shortest edit script ("An O(ND) Difference Algorithm and Its Variations", 1986): in order,
/// with nothing left out. The one algorithm is called by its name: a choice of several has the program hold all of them for each kind of thing.
pub fn edits<T: Eq + Hash>(old: &[T], new: &[T]) -> Vec<DiffOp> {
    let mut told = Compact::new(Replace::new(Capture::new()), old, new);
    let Ok(()) = myers::diff(&mut told, old, 0..old.len(), new, 0..new.len());
    told.into_inner().into_inner().into_ops()
}

/// The places in both rows of what they have in common.
pub(crate) fn common(old: &[&str], new: &[&str]) -> Vec<(usize, usize)> {
    let equal = |op: DiffOp| match op {
        DiffOp::Equal { old_index, new_index, len } => (0..len).map(|n| (old_index + n, new_index + n)).collect(),
        _ => Vec::new(),
    };
    edits(old, new).into_iter().flat_map(equal).collect()
}
