//! From a workspace and a changed schema to what would be written, and writing it.

use crate::apply::apply_all;
use crate::decisions::{self, Answer};
use crate::folder::{self, Before, LockError, Step, Transaction, TransactionError};
use crate::merges::{Changed, Entry, EntryKind, NewEntry};
use crate::open::Workspace;
use crate::secret;
use crate::state::State;
use crate::state::follow_ups::{self, FOLLOW_UPS, FollowUp};
use crate::toml::{self, ApplyError};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::definition::{FileKey, Node, Seg, Tree, Value};
use ysomorph_core::draft::{Explained, NamesInUse, Plan, explained};
use ysomorph_core::impact::Finding;
use ysomorph_core::merge::{Edit, Element, Input, Memory, Op, Outcome, merge};
use ysomorph_core::schema::Schema;

/// What a merge would write.
#[derive(Debug)]
pub struct Planned {
    /// The core's outcome.
    pub outcome: Outcome,
    /// Every file that changes: before, after.
    pub files: BTreeMap<String, (Option<String>, Option<String>)>,
    /// What is left to a person.
    pub left: Vec<Finding>,
    /// The answers it uses.
    pub used: Vec<Answer>,
}

/// Why nothing was written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// An edit couldn't be applied.
    #[error(transparent)]
    Apply(#[from] ApplyError),
    /// The files couldn't be written.
    #[error(transparent)]
    Transaction(#[from] TransactionError),
    /// Somebody else is writing.
    #[error(transparent)]
    Lock(#[from] LockError),
    /// The workspace or an entry can't be read.
    #[error("{}: {}", .0.file, .0.message)]
    File(crate::open::FileError),
}

/// A file with its text before and after.
pub type TextChange = (String, Option<String>, Option<String>);

impl Planned {
    /// Every file that changes, as it may be shown: before, after.
    pub fn shown_files(&self) -> impl Iterator<Item = TextChange> {
        let masked = |path: &str, text: &Option<String>| text.as_deref().map(|text| secret::masked(path, text));
        self.files.iter().map(move |(path, (before, after))| (path.clone(), masked(path, before), masked(path, after)))
    }

    /// Whether there is anything to write beyond the list of follow-ups.
    pub fn is_worth_writing(&self) -> bool {
        self.files.keys().any(|f| f != FOLLOW_UPS)
    }
}

impl Workspace {
    /// What the core merges from.
    pub fn merge_input<'a>(&'a self, changed: &'a Schema, answers: &'a BTreeMap<String, String>) -> Input<'a> {
        Input {
            tree: &self.tree,
            stored: &self.state.stored,
            accepted: &self.state.accepted,
            changed,
            memory: &self.state.memory,
            answers,
            conventions: &self.config.conventions,
            renames: self.config.merge.renames,
            new_fields: self.config.merge.new_fields,
            field_names: self.config.merge.field_names,
        }
    }

    /// What the generator writes for a schema today, under the names that a definition uses.
    pub fn drafted(&self, tree: &Tree, schema: &Schema) -> Explained {
        let stored = &self.state.stored;
        let names = NamesInUse::of(tree, &stored.tree);
        let title = tree.app().and_then(|app| app.get("title")).and_then(Node::as_text).unwrap_or_default();
        explained(schema, &Plan { conventions: &self.config.conventions, names: &names, open_to: stored.start_role.as_deref(), title })
    }

    /// The texts that edits of the definition would give, before and after; nothing is written.
    ///
    /// # Errors
    /// Where the edits don't fit the texts: a defect.
    pub fn preview(&self, edits: &[Edit], tree: &Tree) -> Result<Vec<TextChange>, WriteError> {
        let after = apply_all(&self.texts, edits, &mut self.state.bytes.clone(), tree)?;
        let files: BTreeSet<&FileKey> = edits.iter().map(|e| &e.file).collect();
        Ok(files.into_iter().map(|f| (f.path(), self.texts.get(f).cloned(), after.get(f).cloned())).collect())
    }

    /// Merges without writing anything.
    pub fn plan(&self, changed: &Schema, answers: &BTreeMap<String, String>) -> Result<Planned, WriteError> {
        let input = self.merge_input(changed, answers);
        let outcome = merge(&input);
        let mut bytes = self.state.bytes.clone();
        let texts = apply_all(&self.texts, &outcome.edits, &mut bytes, &outcome.tree)?;
        let mut files: BTreeMap<String, (Option<String>, Option<String>)> = BTreeMap::new();
        let mut put = |path: String, before: Option<&String>, after: Option<String>| {
            if before != after.as_ref() {
                files.insert(path, (before.cloned(), after));
            }
        };
        let all: BTreeSet<&FileKey> = self.texts.keys().chain(texts.keys()).collect();
        for file in all {
            put(file.path(), self.texts.get(file), texts.get(file).cloned());
        }
        for (path, text) in &self.catalogues {
            put(path.clone(), Some(text), Some(crate::translations::merged(text, &self.tree, &outcome.tree, &outcome.renamed_fields)));
        }
        let left = outcome.follow_ups(changed);
        let memory = alive(outcome.memory.clone());
        let state = State {
            accepted: outcome.accepted.clone(),
            stored: outcome.stored.clone(),
            memory,
            bytes,
            modes: self.modes_away(&texts),
            follow_ups: follow_ups::of(&left, &self.state.follow_ups, &outcome.tree),
            texts: BTreeMap::new(),
        };
        let new_state = state.files();
        let names: BTreeSet<&String> = self.state.texts.keys().chain(new_state.keys()).collect();
        for name in names {
            put(name.clone(), self.state.texts.get(name), new_state.get(name).cloned());
        }
        if !outcome.exclude.is_empty() {
            put("ysomorph.toml".to_owned(), Some(&self.config_text), Some(exclude(&self.config_text, &outcome.exclude)?));
        }
        let used = self
            .answers
            .iter()
            .filter(|a| {
                answers.get(&a.question) == Some(&a.choice) && outcome.questions.iter().any(|q| q.name == a.question && q.answer.is_some())
            })
            .cloned()
            .collect();
        Ok(Planned { outcome, left, files, used })
    }

    /// The modes of the files that are away after a merge.
    fn modes_away(&self, after: &BTreeMap<FileKey, String>) -> BTreeMap<String, u32> {
        let mut modes = self.state.modes.clone();
        for file in self.texts.keys().filter(|file| !after.contains_key(file)) {
            modes.extend(folder::mode_of(&self.root, &file.path()).map(|mode| (file.path(), mode)));
        }
        modes.retain(|path, _| after.keys().all(|file| file.path() != *path));
        modes
    }

    /// Writes a plan in one transaction. `now` and `who` go into the entry.
    pub fn write(&self, planned: &Planned, given: &BTreeMap<String, String>, now: &str) -> Result<Entry, WriteError> {
        let mut lock = folder::take(&self.root)?;
        self.is_as_read()?;
        let mode = |path: &String| self.state.modes.get(path).copied();
        let mut files: BTreeMap<String, Changed> =
            planned.files.iter().map(|(path, (before, after))| (path.clone(), (before.clone(), after.clone(), mode(path)))).collect();
        let used: Vec<&str> = planned.used.iter().map(|a| a.question.as_str()).collect();
        if !used.is_empty() {
            let text = crate::open::read_text(&self.root, decisions::FILE).map_err(WriteError::File)?;
            let after = text.clone().and_then(|t| decisions::without(t, &used));
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
        NewEntry { kind: EntryKind::Merge, when: now, files, used, answers, changes, undoes: Vec::new() }.write(&self.root, &mut lock)
    }

    /// Whether everything that a plan was made from still is what was read, also files that the plan doesn't write.
    fn is_as_read(&self) -> Result<(), WriteError> {
        let moved = |path: String| WriteError::Transaction(TransactionError::ChangedMeanwhile(path));
        let definition = self.texts.iter().map(|(file, text)| (file.path(), text));
        let others = self.catalogues.iter().chain(&self.state.texts).map(|(path, text)| (path.clone(), text));
        let config = std::iter::once(("ysomorph.toml".to_owned(), &self.config_text));
        for (path, text) in definition.chain(others).chain(config) {
            if crate::open::read_text(&self.root, &path).map_err(WriteError::File)?.as_ref() != Some(text) {
                return Err(moved(path));
            }
        }
        let known: BTreeSet<String> = self.texts.keys().map(FileKey::path).collect();
        let there = crate::open::definition_files(&self.root).map_err(WriteError::File)?;
        match there.into_iter().map(|name| format!("app/{name}")).find(|path| !known.contains(path)) {
            Some(new) => Err(moved(new)),
            None => Ok(()),
        }
    }

    /// What merges left to a person and nobody closed.
    pub fn open_follow_ups(&self) -> impl Iterator<Item = &FollowUp> {
        self.state.follow_ups.iter().filter(|f| !f.done)
    }

    /// Closes a follow-up.
    pub fn close_follow_up(&self, name: &str) -> Result<(), WriteError> {
        let mut lock = folder::take(&self.root)?;
        let mut all = self.state.follow_ups.clone();
        all.iter_mut().filter(|f| f.name == name).for_each(|f| f.done = true);
        let before = Before::of(self.state.texts.get(FOLLOW_UPS).map(String::as_str));
        let step = Step { path: FOLLOW_UPS.to_owned(), before, new: follow_ups::write(&all), mode: None };
        Ok(Transaction { steps: vec![step] }.commit(&self.root, &mut lock)?)
    }

    /// Takes an answer: it goes to `decisions.toml`.
    pub fn decide(&self, answer: &Answer) -> Result<(), WriteError> {
        let mut lock = folder::take(&self.root)?;
        let text = crate::open::read_text(&self.root, decisions::FILE).map_err(WriteError::File)?;
        let new = decisions::with(Some(text.as_deref().unwrap_or_default()), std::slice::from_ref(answer)).unwrap_or_default();
        let step = Step { path: decisions::FILE.to_owned(), before: Before::of(text.as_deref()), new: Some(new), mode: None };
        Ok(Transaction { steps: vec![step] }.commit(&self.root, &mut lock)?)
    }
}

/// A memory that holds nothing but a counter is no memory.
fn alive(mut memory: Memory) -> Memory {
    let empty = memory.parts.is_empty() && memory.draft_parts.is_empty();
    if empty && memory.gone.is_empty() && memory.renames.is_empty() && memory.inserted.is_empty() && memory.respelled.is_empty() {
        memory.next = 0;
    }
    memory
}

/// `ysomorph.toml` with more tables excluded.
fn exclude(text: &str, tables: &[String]) -> Result<String, WriteError> {
    let mut text = text.to_owned();
    for table in tables {
        let broken = |e| ApplyError::Broken("ysomorph.toml".to_owned(), e);
        let parsed = toml::parse(&text).map_err(broken)?;
        let keys: Vec<Seg> = ["database", "tables", "exclude"].into_iter().map(Seg::from).collect();
        // The deepest part that is there already decides what is added.
        let depth = (0..=3).rev().find(|d| parsed.node.at_path(&keys[..*d]).is_some()).unwrap_or(0);
        let count = parsed.node.at_path(&keys).map_or(0, |n| n.items().len());
        let list = Node::new(Value::List(vec![Node::text(table)]));
        let (path, op) = match depth {
            3 => ([keys.as_slice(), &[Seg::Index(count)]].concat(), Op::InsertMember { value: Node::text(table) }),
            2 => (keys.clone(), Op::Insert { value: list, after: vec!["include".to_owned()] }),
            _ => (
                keys[..2].to_vec(),
                Op::Insert { value: Node::table().with("exclude", list), after: vec!["schemas".to_owned(), "url".to_owned()] },
            ),
        };
        let edit =
            Edit { file: FileKey::App, path, element: Element::file(FileKey::App), op, old: None, new: None, because: String::new() };
        text = toml::apply(Some(&text), &edit, &mut toml::Bytes::new())?.unwrap_or_default();
    }
    Ok(text)
}
