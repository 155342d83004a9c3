//! From a workspace and a changed schema to what would be written, and writing it.

use crate::decisions::{self, Answer};
use crate::files::FileError;
use crate::folder::{self, Before, Step, Transaction, TransactionError, digest};
use crate::follow_ups::FollowUps;
use crate::kept::{KNOWN, Kept as Stated, ReconcileError, Was, reconcile, whole_of};
use crate::merges::{By, Changed, Done, EntryKind, HistoryEntry, NewEntry, Part};
use crate::open::Workspace;
use crate::secret;
use crate::state::follow_ups::{self, FOLLOW_UPS, FollowUp};
use crate::toml::parse;
use crate::write_error::WriteError;
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use ysomorph_core::definition::{EntityIndex, FileKey, Node, Tree};
use ysomorph_core::draft::{DraftInput, Explained, NamesInUse, explained};
use ysomorph_core::impact;
use ysomorph_core::merge::{Aside, Kept, MergeInput, Outcome, Whole, customisations, merge, reset, with_excluded};
use ysomorph_core::schema::Schema;
use ysomorph_kept::Tiles;

/// What a merge would write.
#[derive(Debug)]
pub struct Planned {
    /// The core's outcome.
    pub outcome: Outcome,
    /// Every file that changes: before, after.
    pub files: BTreeMap<String, (Option<String>, Option<String>)>,
    /// What is left to people.
    pub follow_ups: FollowUps,
    /// The answers it uses.
    pub used: Vec<Answer>,
}

/// A file with its text before and after.
pub type TextChange = (String, Option<String>, Option<String>);

impl Planned {
    /// Every file that changes, as it may be shown: before, after.
    pub fn shown_files(&self) -> impl Iterator<Item = TextChange> {
        let masked = |path: &str, text: &Option<String>| text.as_deref().map(|text| secret::masked(path, text));
        self.files.iter().map(move |(path, (before, after))| (path.clone(), masked(path, before), masked(path, after)))
    }

    /// What it does, as its entry tells it.
    fn done(&self) -> Done {
        let parts = |all: &[Aside]| all.iter().map(|a| Part { name: a.element.shown(), because: a.because.clone() }).collect();
        let mut left: Vec<Part> = Vec::new();
        for one in &self.follow_ups.open {
            if left.last().is_none_or(|last| last.name != one.name) {
                left.push(Part { name: one.name.clone(), because: one.finding.message.clone() });
            }
        }
        Done { set_aside: parts(&self.outcome.set_aside), restored: parts(&self.outcome.restored), left }
    }

    /// Whether there is anything to write beyond the list of follow-ups.
    pub fn is_worth_writing(&self) -> bool {
        self.files.keys().any(|f| f != FOLLOW_UPS)
    }
}

impl Workspace {
    /// What the core merges from.
    pub fn merge_input<'a>(&'a self, changed: &'a Schema, answers: &'a BTreeMap<String, String>) -> MergeInput<'a> {
        MergeInput {
            whole: &self.kept().whole,
            deleted: &self.kept().deleted,
            renamed: &self.kept().renamed,
            set_apart: &self.kept().set_apart,
            fresh: &self.kept().fresh,
            known: &self.state.kept.known,
            accepted: &self.state.accepted,
            changed,
            answers,
            conventions: &self.config.conventions,
            speaks_of_before: self.speaks_of_before(),
            renames: self.config.merge.renames,
            new_fields: self.config.merge.new_fields,
            field_names: self.config.merge.field_names,
        }
    }

    /// What the generator writes for a schema today, under the names that a definition uses.
    pub fn drafted(&self, tree: &Tree, schema: &Schema) -> Explained {
        let first_names = self.state.kept.known.first_names(schema);
        let names = NamesInUse::of_whole(tree, &EntityIndex::of(tree), first_names, &|_| false, &|_| false);
        let open_to = self.state.kept.known.start_role.as_deref();
        explained(schema, &DraftInput { conventions: &self.config.conventions, names: &names, open_to, title: tree.title(), earlier: None })
    }

    /// What was set aside and gave way, for good, to what people did to the files since the last merge: the element, and its text.
    pub fn superseded(&self) -> impl Iterator<Item = (String, &str)> {
        self.kept().superseded.iter().map(|(file, gone)| (format!("{}/{}", file.name(), gone.path.join("/")), gone.text.as_str()))
    }

    /// Every customisation, with what the draft says instead and where it stands.
    pub fn customisations(&self) -> Vec<Kept> {
        let answers = BTreeMap::new();
        let mut kept = customisations(&self.merge_input(&self.state.accepted, &answers));
        for one in &mut kept {
            let root = self.tree.files.get(&one.element.file);
            let found = root.and_then(|root| root.at_path(&one.element.resolve(root)?));
            if let (Some(yours), Some(found)) = (&mut one.yours, found) {
                yours.at = found.at;
            }
        }
        kept
    }

    /// The texts of the files in which a customisation is given up, before and after; nothing is written.
    ///
    /// # Errors
    /// Where the files would say something else than was meant: a defect.
    pub fn given_up(&self, kept: &Kept) -> Result<Vec<TextChange>, WriteError> {
        let after = reset(&self.kept().whole, kept);
        let files = reconcile(&self.kept().files, &self.kept().whole, &after)?;
        let texts = shown(&files, &after);
        let all: BTreeSet<&FileKey> = self.texts.keys().chain(texts.keys()).collect();
        let changed = all.into_iter().filter(|f| self.texts.get(f) != texts.get(f));
        Ok(changed.map(|f| (f.path(), self.texts.get(f).cloned(), texts.get(f).cloned())).collect())
    }

    /// Merges without writing anything.
    pub fn plan(&self, changed: &Schema, answers: &BTreeMap<String, String>) -> Result<Planned, WriteError> {
        self.plan_of(changed, answers, merge(&self.merge_input(changed, answers)))
    }

    /// What would be written of a merge with these answers.
    pub fn plan_of(&self, changed: &Schema, answers: &BTreeMap<String, String>, mut outcome: Outcome) -> Result<Planned, WriteError> {
        if let Some(file) = self.kept().taken.first() {
            let message = "a file of this name is hidden until its table returns: give this one another name, or it would be lost";
            return Err(WriteError::File(FileError::new(file.path(), message.to_owned())));
        }
        let kept = reconcile(&self.kept().files, &self.kept().whole, &outcome.whole)?;
        let texts = shown(&kept, &outcome.whole);
        outcome.tree = self.tree_after(&texts)?;
        let mut files: BTreeMap<String, (Option<String>, Option<String>)> = BTreeMap::new();
        let mut put = |path: String, before: Option<&String>, after: Option<String>| {
            if before != after.as_ref() {
                files.insert(path, (before.cloned(), after));
            }
        };
        let closed: BTreeMap<&FileKey, &String> = self.texts.iter().filter(|(file, _)| self.tree.asleep.contains(file.name())).collect();
        let all: BTreeSet<&FileKey> = self.texts.keys().filter(|file| !closed.contains_key(file)).chain(texts.keys()).collect();
        for file in all {
            put(file.path(), self.texts.get(file), texts.get(file).cloned());
        }
        let merged = |text: &String| crate::translations::merged(text, &self.tree, &outcome.tree, &outcome.renamed_fields);
        let catalogues: BTreeMap<String, String> = self.catalogues.iter().map(|(path, text)| (path.clone(), merged(text))).collect();
        for (path, text) in &catalogues {
            put(path.clone(), self.catalogues.get(path), Some(text.clone()));
        }
        if !outcome.exclude.is_empty() {
            put("ysomorph.toml".to_owned(), Some(&self.config_text), Some(exclude(&self.config_text, &outcome.exclude)?));
        }
        let follow_ups = self.follow_ups_after(&outcome, changed, &texts, &catalogues).map_err(WriteError::File)?;
        let mut new_state = crate::state::files(
            &outcome.accepted,
            &follow_ups.all,
            &Stated { files: kept, ..Stated::default() },
            &texts,
            &outcome.known,
            &self.modes_away(&texts),
            &Was { kept: Some(self.kept()), texts: Some(&self.state.read), closed: Some((&self.state.kept, &closed)) },
        );
        // What people did to the files alone is no reason to write.
        let concerns = |path: &String| path == crate::state::ACCEPTED || path == KNOWN;
        let moves = !files.is_empty()
            || !self.state.joined.is_empty()
            || new_state.iter().any(|(path, text)| concerns(path) && self.state.text(path) != Some(text));
        if !moves {
            new_state.retain(|path, _| path == FOLLOW_UPS);
        }
        let names: BTreeSet<&String> = self.state.read.keys().filter(|path| moves || *path == FOLLOW_UPS).chain(new_state.keys()).collect();
        for name in names {
            let (before, after) = (self.state.text(name), new_state.get(name).cloned());
            if before != after.as_ref() {
                files.insert(name.clone(), (before.cloned(), after));
            }
        }
        let used = self
            .answers
            .iter()
            .filter(|a| {
                answers.get(&a.question) == Some(&a.choice) && outcome.questions.iter().any(|q| q.name == a.question && q.answer.is_some())
            })
            .cloned()
            .collect();
        Ok(Planned { outcome, follow_ups, files, used })
    }

    /// The definition as files read, with places in them.
    fn tree_after(&self, texts: &BTreeMap<FileKey, String>) -> Result<Tree, WriteError> {
        let mut tree = Tree { asleep: self.tree.asleep.clone(), ..Tree::default() };
        for (file, text) in texts {
            let node = match self.tree.files.get(file) {
                Some(node) if self.texts.get(file) == Some(text) => node.clone(),
                _ => match parse(text) {
                    Ok(node) => node,
                    Err(_) => return Err(ReconcileError::Otherwise(file.path()).into()),
                },
            };
            tree.files.insert(file.clone(), node);
        }
        Ok(tree)
    }

    /// The modes of the files that are away after a merge.
    fn modes_away(&self, after: &BTreeMap<FileKey, String>) -> BTreeMap<String, u32> {
        let mut modes = self.state.kept.modes.clone();
        let is_away = |file: &&FileKey| !after.contains_key(*file) && !self.tree.asleep.contains(file.name());
        for file in self.texts.keys().filter(is_away) {
            modes.extend(folder::mode_of(&self.root, &file.path()).map(|mode| (file.path(), mode)));
        }
        modes.retain(|path, _| after.keys().all(|file| file.path() != *path));
        modes
    }

    /// Writes a plan in one transaction, with an entry that tells it.
    pub fn write(&self, planned: &Planned, given: &BTreeMap<String, String>, by: &By) -> Result<HistoryEntry, WriteError> {
        if !planned.outcome.unsteady.is_empty() {
            return Err(WriteError::File(FileError::new("app/", "not all that changes was opened, so nothing is written: a defect")));
        }
        self.confirm_closed().map_err(WriteError::File)?;
        let mut lock = folder::take(&self.root)?;
        self.is_as_read()?;
        let mode = |path: &String| self.state.kept.modes.get(path).copied();
        let mut files: BTreeMap<String, Changed> =
            planned.files.iter().map(|(path, (before, after))| (path.clone(), (before.clone(), after.clone(), mode(path)))).collect();
        let used: Vec<&str> = planned.used.iter().map(|a| a.question.as_str()).collect();
        if !used.is_empty() {
            let text = crate::files::read_text(&self.root, decisions::FILE).map_err(WriteError::File)?;
            let after = text.as_deref().and_then(|t| decisions::without(t, &used));
            files.insert(decisions::FILE.to_owned(), (text, after.filter(|t| !t.is_empty()), None));
        }
        let changes = planned.outcome.comparison.changes.clone();
        let mut answers: BTreeMap<String, String> =
            planned.outcome.questions.iter().filter_map(|q| Some((q.name.clone(), q.answer.clone()?))).collect();
        answers.extend(
            given
                .iter()
                .filter(|(q, _)| planned.outcome.questions.iter().any(|known| known.name == **q))
                .map(|(q, c)| (q.clone(), c.clone())),
        );
        let used = planned.used.clone();
        let done = planned.done();
        let unwritten = if changes.is_empty() { BTreeMap::new() } else { self.unwritten(planned, &files) };
        let entry = NewEntry { kind: EntryKind::Merge, by, files, used, answers, changes, undoes: Vec::new(), done, unwritten };
        entry.write(&self.root, &mut lock)
    }

    /// The digests of the files that a plan's changes concern, open or not, and that aren't written.
    fn unwritten(&self, planned: &Planned, files: &BTreeMap<String, Changed>) -> BTreeMap<String, String> {
        let is_concerned = impact::concerned(&self.tree, &planned.outcome.comparison);
        let concerned = self.texts.iter().filter(|(file, _)| is_concerned(file)).map(|(file, text)| (file.path(), text));
        concerned.filter(|(path, _)| !files.contains_key(path)).map(|(path, text)| (path, digest(text))).collect()
    }

    /// Whether everything that a plan was made from still is what was read, also files that the plan doesn't write.
    fn is_as_read(&self) -> Result<(), WriteError> {
        let moved = |path: String| WriteError::Transaction(TransactionError::ChangedMeanwhile(path));
        let definition = self.texts.iter().map(|(file, text)| (file.path(), text));
        let state = self.state.read.keys().filter_map(|path| Some((path, self.state.text(path)?)));
        let others = self.catalogues.iter().chain(state).map(|(path, text)| (path.clone(), text));
        let config = std::iter::once(("ysomorph.toml".to_owned(), &self.config_text));
        let all: Vec<(String, &String)> = definition.chain(others).chain(config).collect();
        let is_otherwise = |(path, text): (String, &String)| match crate::files::read_text(&self.root, &path) {
            Ok(Some(now)) if now == *text => None,
            Ok(_) => Some(moved(path)),
            Err(error) => Some(WriteError::File(error)),
        };
        if let Some(error) = all.into_par_iter().find_map_first(is_otherwise) {
            return Err(error);
        }
        let known: BTreeSet<String> = self.texts.keys().map(FileKey::path).collect();
        let there = crate::closed::definition_files(&self.root).map_err(WriteError::File)?;
        match there.into_iter().map(|name| format!("app/{name}")).find(|path| !known.contains(path)) {
            Some(new) => Err(moved(new)),
            None => Ok(()),
        }
    }

    /// What merges left to a person and nobody closed, as it was when it was last looked at.
    pub fn remembered_follow_ups(&self) -> impl Iterator<Item = &FollowUp> {
        self.state.follow_ups.iter().filter(|f| !f.done)
    }

    /// Closes follow-ups, all in one write.
    pub fn close_follow_ups(&self, names: &[&str]) -> Result<(), WriteError> {
        let mut lock = folder::take(&self.root)?;
        let mut all = self.state.follow_ups.clone();
        all.iter_mut().filter(|f| names.contains(&f.name.as_str())).for_each(|f| f.done = true);
        let before = Before::of(self.state.text(FOLLOW_UPS).map(String::as_str));
        let step = Step { path: FOLLOW_UPS.to_owned(), before, new: follow_ups::write(&all), mode: None };
        Ok(Transaction { steps: vec![step] }.commit(&self.root, &mut lock)?)
    }

    /// Takes answers: they go to `decisions.toml`, all in one write.
    pub fn decide(&self, answers: &[Answer]) -> Result<(), WriteError> {
        let mut lock = folder::take(&self.root)?;
        let text = crate::files::read_text(&self.root, decisions::FILE).map_err(WriteError::File)?;
        let new = decisions::with(Some(text.as_deref().unwrap_or_default()), answers).unwrap_or_default();
        let step = Step { path: decisions::FILE.to_owned(), before: Before::of(text.as_deref()), new: Some(new), mode: None };
        Ok(Transaction { steps: vec![step] }.commit(&self.root, &mut lock)?)
    }
}

/// The texts of the files that are shown.
fn shown(files: &BTreeMap<FileKey, Arc<Tiles>>, whole: &Whole) -> BTreeMap<FileKey, String> {
    let is_shown = |file: &FileKey| {
        let root = whole.tree.files.get(file);
        root.and_then(|root| whole.tile(root)).is_none_or(|tile| !tile.is_hidden())
    };
    files.iter().filter(|(file, _)| is_shown(file)).map(|(file, tiles)| (file.clone(), tiles.shown())).collect()
}

/// `ysomorph.toml` with more tables excluded.
fn exclude(text: &str, tables: &[String]) -> Result<String, WriteError> {
    let names = Node::texts(tables);
    let written = |error| WriteError::Reconcile(ReconcileError::Unreadable("ysomorph.toml".to_owned(), error));
    let files = BTreeMap::from([(FileKey::App, Arc::new(ysomorph_kept::read(text).map_err(written)?))]);
    let before = whole_of(&files, &|_| false);
    let after = with_excluded(&before, &names);
    Ok(reconcile(&files, &before, &after)?.get(&FileKey::App).map(|tiles| tiles.shown()).unwrap_or_default())
}
