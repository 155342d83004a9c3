//! What a merge would come to with the answers there are.

use crate::error::CliError;
use std::collections::BTreeMap;
use ysomorph_core::merge::{Outcome, merge};
use ysomorph_core::schema::Schema;
use ysomorph_workspace::Workspace;

/// A merge with these answers: of what the change reaches, and of everything where that isn't enough to tell it.
pub fn merged(workspace: &mut Workspace, changed: &Schema, answers: &BTreeMap<String, String>) -> Result<Outcome, CliError> {
    let outcome = merge(&workspace.merge_input(changed, answers));
    if outcome.unsteady.is_empty() {
        return Ok(outcome);
    }
    *workspace = Workspace::open(&workspace.root)?;
    Ok(merge(&workspace.merge_input(changed, answers)))
}
