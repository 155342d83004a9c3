//! What a look leaves for the next one.

use crate::index::{Digests, Index};
use crate::open::Workspace;
use crate::opening::around;
use std::collections::BTreeSet;
use std::path::Path;
use ysomorph_core::definition::FileKey;

impl Workspace {
    /// Whether looks at a change may open less than all of a definition.
    pub fn has_index(root: &Path) -> bool {
        Index::is_there(root)
    }

    /// Keeps what is known of the files for the next look. `told` are entities of which something is
    /// told whatever changed: they don't stay closed. Nothing depends on it.
    pub fn keep_index(&self, told: &BTreeSet<String>) {
        let is_known_by_its_files = self.catalogues.is_empty() && self.state.joined.is_empty() && self.kept().taken.is_empty();
        if !is_known_by_its_files || !self.problems().is_empty() {
            return;
        }
        let fresh = self.known.is_none().then(|| Digests::of(&self.texts, &self.state.read));
        let known = self.known.as_ref();
        let Some(digests) = known.map(|known| &known.digests).or(fresh.as_ref()) else { return };
        let kept = self.kept();
        let opened = |entity: &str| {
            let (sleeper, is_plain) = kept.whole.sleeper(entity)?;
            let is_as_it_was = kept.unedited.contains(&FileKey::Entity(entity.to_owned()));
            Some((sleeper, is_plain && is_as_it_was && !told.contains(entity)))
        };
        let around = around(&self.config_text, self.tree.app(), &self.state.read);
        Index::keep(&self.root, around, digests, opened, known.map(|known| &known.index));
    }
}
