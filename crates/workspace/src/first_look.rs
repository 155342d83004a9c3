//! The first look at a change: without an index of a large definition, one is made of its files, so that what stands as it was drafted
//! is read once, and neither lifted nor merged.

use crate::config::Config;
use crate::index::{Digests, Index, Seen};
use crate::kept::Stored;
use crate::opening::{Known, Unopened};
use rayon::prelude::*;
use std::collections::BTreeSet;
use std::sync::Arc;
use ysomorph_core::definition::{EntityIndex, FileKey, Sleeper, Tree, validate};
use ysomorph_core::draft::{DraftInput, NamesInUse, draft};
use ysomorph_core::impact::{Around, told_without_change};

impl Unopened<'_> {
    /// An index of the files, of which everything was read as `tree`; nothing where all of it is to be opened: something is wrong with the
    /// definition, or most of it isn't as it was drafted. It is kept for the next look. What people edited since the last command isn't
    /// in it.
    pub fn known_at_first(&self, tree: &Tree, config: &Config) -> Option<Known> {
        let stored = Stored::read(self.state, &|_| true).ok()?;
        let files: Vec<(&FileKey, &String)> = self.texts.iter().filter(|(file, _)| **file != FileKey::App).collect();
        let as_left: BTreeSet<&FileKey> =
            files.par_iter().filter(|(file, text)| stored.stands_as_left(file, text)).map(|(file, _)| *file).collect();
        if as_left.len() * 2 < files.len() {
            return None;
        }
        let index = EntityIndex::of(tree);
        let around = Around { conventions: config.conventions.clone(), ..Around::default() };
        let (problems, told) = rayon::join(|| validate(tree, self.accepted), || told_without_change(tree, self.accepted, &around));
        if !problems.is_empty() {
            return None;
        }
        // Another release may draft otherwise: such a file is merged like any other.
        let first_names = stored.known.first_names(self.accepted);
        let names = NamesInUse::of_whole(tree, &index, first_names, &|_| false, &|_| false);
        let open_to = stored.known.start_role.as_deref();
        let input = DraftInput { conventions: &config.conventions, names: &names, open_to, title: tree.title(), earlier: None };
        let drafted = draft(self.accepted, &input).tree;
        let kept = stored.lifted(self.texts, &|file| !as_left.contains(file));
        if !kept.taken.is_empty() {
            return None;
        }
        let known = |entity: &str| {
            let file = FileKey::Entity(entity.to_owned());
            if as_left.contains(&file) {
                let root = tree.files.get(&file)?;
                let may_sleep = drafted.files.get(&file) == Some(root) && !told.contains(entity);
                let sleeper = Sleeper::of_plain(root, Arc::clone(index.entities.get(entity)?));
                return Some(Seen { sleeper, may_sleep, customised: 0, counted_at_rest: may_sleep });
            }
            // How many customisations stand in it is told by a merge of it alone.
            let (sleeper, _) = kept.unedited.contains(&file).then(|| kept.whole.sleeper(entity)).flatten()?;
            Some(Seen { sleeper, may_sleep: false, customised: 0, counted_at_rest: false })
        };
        let digests = Digests::of(self.texts, self.state);
        let index = Index::of(self.around(), &digests, known);
        index.write(self.root);
        Some(Known { index, digests })
    }
}
