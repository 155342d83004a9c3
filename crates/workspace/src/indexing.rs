//! What a look leaves for the next one.

use crate::closed::{CONFIG_FILE, definition_files};
use crate::files::FileError;
use crate::index::{Digests, Index, Seen};
use crate::kept::{KNOWN, Stored, list_of};
use crate::open::Workspace;
use crate::opening::{Change, Unopened, around};
use crate::plan::Planned;
use crate::state::ACCEPTED;
use crate::toml::parse;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;
use ysomorph_core::definition::{Asleep, FileKey, KnownEntity, Sleeper};
use ysomorph_core::merge::Outcome;
use ysomorph_core::schema::Schema;

impl Workspace {
    /// Whether looks at a change may open less than all of a definition: it has an index, or so many files that it gets one.
    pub fn wants_index(root: &Path, from: usize) -> bool {
        Index::is_there(root) || definition_files(root).is_ok_and(|files| files.len() >= from)
    }

    /// How many customisations stand in the entities that weren't opened.
    pub fn customised_elsewhere(&self) -> usize {
        let known = self.known.iter().flat_map(|known| &known.index.entities);
        known.filter(|(entity, _)| self.tree.asleep.contains(entity)).map(|(_, indexed)| indexed.customised).sum()
    }

    /// Keeps what is known of the files for the next look, after one that came to `outcome`. `told` are entities of which something is
    /// told whatever changed: they don't stay closed. Nothing depends on it.
    pub fn keep_index(&self, outcome: &Outcome, told: &BTreeSet<String>) {
        let is_known_by_its_files = self.catalogues.is_empty() && self.state.joined.is_empty() && self.kept().taken.is_empty();
        if !is_known_by_its_files || !self.problems().is_empty() {
            return;
        }
        let fresh = self.known.is_none().then(|| Digests::of(&self.texts, &self.state.read));
        let known = self.known.as_ref();
        let Some(digests) = known.map(|known| &known.digests).or(fresh.as_ref()) else { return };
        let kept = self.kept();
        let mut customised: BTreeMap<&str, usize> = BTreeMap::new();
        for one in &outcome.kept {
            *customised.entry(one.element.file.name()).or_default() += 1;
        }
        let counted_at_rest = outcome.comparison.changes.is_empty();
        let opened = |entity: &str| {
            let (sleeper, is_plain) = kept.whole.sleeper(entity)?;
            let is_as_it_was = kept.unedited.contains(&FileKey::Entity(entity.to_owned()));
            let customised = customised.get(entity).copied().unwrap_or_default();
            Some(Seen { sleeper, may_sleep: is_plain && is_as_it_was && !told.contains(entity), customised, counted_at_rest })
        };
        // An index that was read was made around the same.
        let read_by = known.map(|known| known.index.around().to_owned());
        let around = read_by.unwrap_or_else(|| around(&self.config_text, self.tree.app(), &self.state.read));
        Index::keep(&self.root, around, digests, opened, known.map(|known| &known.index));
    }

    /// Keeps, after a merge that was written, what was known of the files that it left alone and that its change doesn't reach: the next
    /// look opens the others alone. Nothing depends on it.
    pub fn keep_index_after(&self, planned: &Planned, changed: &Schema) {
        let of_everything;
        let (index, asleep) = match &self.known {
            Some(known) => (&known.index, &self.tree.asleep),
            None => {
                let Some(known) = self.would_leave_closed(changed) else { return };
                of_everything = known;
                (&of_everything.0, &of_everything.1)
            }
        };
        let after = |path: &str| planned.files.get(path).map(|(_, after)| after.as_deref().unwrap_or_default());
        let is_left = |entity: &str| {
            let file = FileKey::Entity(entity.to_owned());
            asleep.contains(entity) && after(&file.path()).is_none() && after(&list_of(&file)).is_none()
        };
        let app = after(&FileKey::App.path()).map(parse).transpose();
        let Ok(app) = app else { return };
        let of = |file: &'static str| after(file).or_else(|| self.state.read.get(file).map(String::as_str));
        let state = [ACCEPTED, KNOWN].into_iter().filter_map(|file| Some((file.to_owned(), of(file)?.to_owned()))).collect();
        let config = after(CONFIG_FILE).unwrap_or(&self.config_text);
        index.keep_of(&self.root, around(config, app.as_ref().or(self.tree.app()), &state), is_left);
    }

    /// Looks whether the files that weren't opened say what the index says of them, and hide nothing: what is written is true of the files,
    /// whoever wrote the index. They are asked once.
    ///
    /// # Errors
    /// The first that says otherwise.
    pub fn confirm_closed(&self) -> Result<(), FileError> {
        self.confirmed.get_or_init(|| self.confirm_each_closed()).clone()
    }

    fn confirm_each_closed(&self) -> Result<(), FileError> {
        let asleep = &self.tree.asleep;
        let is_listed = |file: &FileKey| asleep.contains(file.name()) && self.state.read.contains_key(&list_of(file));
        let listed = Stored::read(&self.state.read, &is_listed)?.lifted(&self.texts, &is_listed);
        let says = |file: &FileKey, text: &str| {
            if is_listed(file) {
                return listed.whole.sleeper(file.name()).filter(|(_, is_plain)| *is_plain).map(|(sleeper, _)| sleeper);
            }
            let root = parse(text).ok()?;
            Some(Sleeper::of_plain(&root, Arc::new(KnownEntity::of(&root))))
        };
        let closed: Vec<(&FileKey, &String)> = self.texts.iter().filter(|(file, _)| asleep.contains(file.name())).collect();
        let wrong = closed.into_par_iter().find_first(|(file, text)| says(file, text).as_ref() != asleep.get(file.name()));
        wrong.map_or(Ok(()), |(file, _)| {
            let message = format!("it says otherwise than `{}`: take the folder away, it is made anew", file.path());
            Err(FileError::new(Index::path(), message))
        })
    }

    /// What is known of the files, and which of them a look at a change would leave closed.
    fn would_leave_closed(&self, changed: &Schema) -> Option<(Index, Asleep)> {
        let unopened = Unopened {
            root: &self.root,
            config_text: &self.config_text,
            texts: &self.texts,
            state: &self.state.read,
            accepted: self.accepted(),
        };
        let known = unopened.known()?;
        let asleep = unopened.asleep(&known, Change { changed, also: &BTreeSet::new(), with_follow_ups: false, with_customised: false })?;
        Some((known.index, asleep))
    }
}
