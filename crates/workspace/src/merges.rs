//! `.ysomorph/merges/`: one entry for each thing written, with what is needed to take it back.

use crate::decisions::{self, Answer};
use crate::lock;
use crate::open::{FileError, Workspace, read_text};
use crate::plan::WriteError;
use crate::transaction::{Before, Step, Transaction, TransactionError, digest};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use ysomorph_core::changes::Change;

const FOLDER: &str = ".ysomorph/merges";

/// What an entry is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum EntryKind {
    /// A merge.
    Merge,
    /// An undo of earlier entries.
    Undo,
}

/// One entry.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Entry {
    /// Version of the format.
    pub format: u32,
    /// Its number, from 1.
    pub id: u32,
    /// What it is.
    pub kind: EntryKind,
    /// When it was written.
    pub when: String,
    /// The changes of the database it took in.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<Change>,
    /// The answers it went by.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub answers: BTreeMap<String, String>,
    /// Answers taken out of `decisions.toml`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub used: Vec<Answer>,
    /// The merges it takes back.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub undoes: Vec<u32>,
    /// The files it wrote.
    pub files: Vec<FileChange>,
    #[serde(skip)]
    after: BTreeMap<String, Option<String>>,
}

/// One file of an entry.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct FileChange {
    /// Relative to the workspace.
    pub path: String,
    /// Its text before; absent where there was none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The digest of its text after; absent where it went.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
}

/// Why nothing was taken back.
#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    /// There is nothing to undo.
    #[error("there is no merge to undo")]
    Nothing,
    /// No such entry.
    #[error("there is no entry {0}")]
    Unknown(u32),
    /// Files were changed since.
    #[error("changed since: {}", .0.join(", "))]
    ChangedSince(Vec<String>),
    /// It couldn't be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

impl From<TransactionError> for UndoError {
    fn from(error: TransactionError) -> Self {
        UndoError::Write(error.into())
    }
}

impl Entry {
    fn path(&self) -> String {
        format!("{FOLDER}/{:04}.json", self.id)
    }

    /// The transaction that writes the entry and its files.
    pub(crate) fn transaction(&self) -> Result<Transaction, TransactionError> {
        let mut steps: Vec<Step> = self
            .files
            .iter()
            .map(|f| Step {
                path: f.path.clone(),
                before: f.before.clone().map_or(Before::Absent, Before::Text),
                new: self.after.get(&f.path).cloned().flatten(),
            })
            .collect();
        let text =
            serde_json::to_string_pretty(self).map_err(|e| TransactionError::Io { path: self.path(), source: std::io::Error::other(e) })?;
        steps.push(Step { path: self.path(), before: Before::Absent, new: Some(text + "\n") });
        Ok(Transaction { steps })
    }
}

/// A new entry over files given as before and after. `decisions.toml` stands beside: people edit it in between.
pub(crate) fn new_entry(
    root: &Path,
    kind: EntryKind,
    when: &str,
    files: BTreeMap<String, (Option<String>, Option<String>)>,
    used: Vec<Answer>,
    answers: BTreeMap<String, String>,
    changes: Vec<Change>,
) -> Result<Entry, FileError> {
    let id = read_all(root)?.last().map_or(0, |e| e.id) + 1;
    let changed = files
        .iter()
        .map(|(path, (before, after))| FileChange { path: path.clone(), before: before.clone(), after: after.as_deref().map(digest) })
        .collect();
    let after = files.into_iter().map(|(path, (_, after))| (path, after)).collect();
    Ok(Entry { format: 1, id, kind, when: when.to_owned(), changes, answers, used, undoes: Vec::new(), files: changed, after })
}

/// All entries, oldest first.
pub fn read_all(root: &Path) -> Result<Vec<Entry>, FileError> {
    let names = std::fs::read_dir(root.join(FOLDER))
        .map(|e| e.flatten().filter_map(|e| e.file_name().into_string().ok()).collect::<Vec<_>>())
        .unwrap_or_default();
    let mut entries = Vec::new();
    for name in names.into_iter().filter(|n| n.ends_with(".json")) {
        let file = format!("{FOLDER}/{name}");
        let Some(text) = read_text(root, &file)? else { continue };
        let entry: Entry = serde_json::from_str(&text).map_err(|e| FileError {
            file: file.clone(),
            at: None,
            message: e.to_string(),
            text: String::new(),
        })?;
        entries.push(entry);
    }
    entries.sort_by_key(|e| e.id);
    Ok(entries)
}

/// Merges that are in force: not taken back by an undo that is itself in force.
pub fn in_force(entries: &[Entry]) -> BTreeSet<u32> {
    let mut active: BTreeSet<u32> = entries.iter().map(|e| e.id).collect();
    for entry in entries.iter().rev().filter(|e| e.kind == EntryKind::Undo) {
        if active.contains(&entry.id) {
            active.retain(|id| !entry.undoes.contains(id));
        }
    }
    active
}

impl Workspace {
    /// Takes back an entry and all later ones: the files hold again, to the byte, what they held before it.
    /// Without an entry: the latest merge in force.
    pub fn undo(&self, entry: Option<u32>, now: &str) -> Result<Entry, UndoError> {
        let file_error = |e| UndoError::Write(WriteError::File(e));
        let _lock = lock::take(&self.root).map_err(|e| UndoError::Write(e.into()))?;
        let entries = read_all(&self.root).map_err(file_error)?;
        let active = in_force(&entries);
        let target = match entry {
            Some(id) if entries.iter().any(|e| e.id == id) => id,
            Some(id) => return Err(UndoError::Unknown(id)),
            None => entries
                .iter()
                .rev()
                .find(|e| e.kind == EntryKind::Merge && active.contains(&e.id))
                .map(|e| e.id)
                .ok_or(UndoError::Nothing)?,
        };
        let back: Vec<&Entry> = entries.iter().rev().filter(|e| e.id >= target).collect();
        let (mut now_there, mut restored): (BTreeMap<String, Option<String>>, BTreeMap<String, Option<String>>) =
            (BTreeMap::new(), BTreeMap::new());
        let mut changed = BTreeSet::new();
        for entry in &back {
            for file in entry.files.iter().filter(|f| f.path != decisions::FILE) {
                if !now_there.contains_key(&file.path) {
                    let text = read_text(&self.root, &file.path).map_err(file_error)?;
                    now_there.insert(file.path.clone(), text.clone());
                    restored.insert(file.path.clone(), text);
                }
                let current = restored.get(&file.path).cloned().flatten();
                if current.as_deref().map(digest) != file.after {
                    changed.insert(file.path.clone());
                }
                restored.insert(file.path.clone(), file.before.clone());
            }
        }
        if !changed.is_empty() {
            return Err(UndoError::ChangedSince(changed.into_iter().collect()));
        }
        let mut files: BTreeMap<String, (Option<String>, Option<String>)> = now_there
            .into_iter()
            .map(|(path, text)| {
                let before = restored.get(&path).cloned().flatten();
                (path, (text, before))
            })
            .collect();
        files.retain(|_, (before, after)| before != after);
        let undone: Vec<&&Entry> = back.iter().filter(|e| e.kind == EntryKind::Merge && active.contains(&e.id)).collect();
        let answers: Vec<Answer> = undone.iter().flat_map(|e| e.used.clone()).collect();
        if !answers.is_empty() {
            let text = read_text(&self.root, decisions::FILE).map_err(file_error)?;
            let with = decisions::with(Some(text.as_deref().unwrap_or_default()), &answers);
            files.insert(decisions::FILE.to_owned(), (text, with));
        }
        let mut entry = new_entry(&self.root, EntryKind::Undo, now, files, Vec::new(), BTreeMap::new(), Vec::new()).map_err(file_error)?;
        entry.undoes = back.iter().filter(|e| active.contains(&e.id)).map(|e| e.id).collect();
        entry.undoes.sort_unstable();
        entry.transaction()?.commit(&self.root)?;
        Ok(entry)
    }
}
