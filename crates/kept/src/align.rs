//! Two rows of things, aligned.

use similar::DiffOp;
use similar::algorithms::{Capture, Compact, Replace, myers};
use std::collections::HashMap;
use std::hash::Hash;

/// What leads from one row to another, by Myers' shortest edit script ("An O(ND) Difference Algorithm and Its Variations", 1986): in order,
/// with nothing left out.
pub fn edits<T: Eq + Hash>(old: &[T], new: &[T]) -> Vec<DiffOp> {
    let mut known: HashMap<&T, u32> = HashMap::new();
    let mut number = |thing| {
        let next = u32::try_from(known.len()).unwrap_or(u32::MAX);
        *known.entry(thing).or_insert(next)
    };
    let (old, new): (Vec<u32>, Vec<u32>) = (old.iter().map(&mut number).collect(), new.iter().map(&mut number).collect());
    edits_of_numbers(&old, &new)
}

/// The same of things by their numbers. The program holds an algorithm once for each kind of thing that it compares, and a choice of
/// several algorithms once for each of those: it is given one kind, and called by its name.
fn edits_of_numbers(old: &[u32], new: &[u32]) -> Vec<DiffOp> {
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
