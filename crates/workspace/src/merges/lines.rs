//! What became of a file's lines: enough to show an entry as a diff, without keeping every text twice.

use serde::{Deserialize, Serialize};
use similar::DiffOp;
use ysomorph_kept::edits;

/// Lines that gave way to others.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Splice {
    /// The line before which it happened, from 0, as the lines were.
    pub at: usize,
    /// How many lines went.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub gone: usize,
    /// What came instead.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub come: String,
}

fn is_zero(count: &usize) -> bool {
    *count == 0
}

/// What leads from one text to another.
pub(super) fn between(before: &str, after: &str) -> Vec<Splice> {
    let (old, new): (Vec<&str>, Vec<&str>) = (before.split_inclusive('\n').collect(), after.split_inclusive('\n').collect());
    let come = |from: usize, len: usize| new.get(from..from + len).unwrap_or_default().concat();
    let splice = |op: &DiffOp| match *op {
        DiffOp::Equal { .. } => None,
        DiffOp::Delete { old_index, old_len, .. } => Some(Splice { at: old_index, gone: old_len, come: String::new() }),
        DiffOp::Insert { old_index, new_index, new_len } => Some(Splice { at: old_index, gone: 0, come: come(new_index, new_len) }),
        DiffOp::Replace { old_index, old_len, new_index, new_len } => {
            Some(Splice { at: old_index, gone: old_len, come: come(new_index, new_len) })
        }
    };
    edits(&old, &new).iter().filter_map(splice).collect()
}

/// The text that these lead to.
pub(super) fn applied(before: &str, splices: &[Splice]) -> String {
    let mut lines: Vec<&str> = before.split_inclusive('\n').collect();
    for splice in splices.iter().rev() {
        let from = splice.at.min(lines.len());
        let to = from.saturating_add(splice.gone).min(lines.len());
        lines.splice(from..to, std::iter::once(splice.come.as_str()));
    }
    lines.concat()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn they_lead_from_any_text_to_any_other(before in "([ab]?\r?\n?){0,12}", after in "([ab]?\r?\n?){0,12}") {
            prop_assert_eq!(applied(&before, &between(&before, &after)), after);
        }
    }
}
