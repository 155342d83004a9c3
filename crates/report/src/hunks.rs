//! Where two texts differ, with some of the lines around, as version control shows it.

use similar::udiff::UnifiedHunkHeader;
use similar::{ChangeTag, DiffOp, group_diff_ops};
use ysomorph_kept::edits;

/// Lines that lie together.
pub(crate) struct Hunk<'t> {
    /// Where they stand in both texts.
    pub header: String,
    /// What becomes of each, and the line with its end.
    pub lines: Vec<(ChangeTag, &'t str)>,
}

/// Where two texts differ, with so many lines around.
pub(crate) fn hunks<'t>(before: &'t str, after: &'t str, around: usize) -> Vec<Hunk<'t>> {
    let (old, new): (Vec<&str>, Vec<&str>) = (before.split_inclusive('\n').collect(), after.split_inclusive('\n').collect());
    let hunk = |ops: Vec<DiffOp>| Hunk {
        header: UnifiedHunkHeader::new(&ops).to_string(),
        lines: ops.iter().flat_map(|op| op.iter_changes(&old, &new)).map(|change| (change.tag(), change.value())).collect(),
    };
    group_diff_ops(edits(&old, &new), around).into_iter().filter(|ops| !ops.is_empty()).map(hunk).collect()
}
