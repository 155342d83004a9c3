//! What holds of every merge, over all changes that the rules have cases of.

use crate::impact::CASES;
use crate::testkit::merged_otherwise;
use rayon::prelude::*;

#[test]
fn whatever_changes_and_changes_back_is_sound_in_between_and_as_it_was_afterwards() {
    let wrong: String = CASES.par_iter().map(|cases| merged_otherwise(cases)).collect();
    assert!(wrong.is_empty(), "{wrong}");
}
