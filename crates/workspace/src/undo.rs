//! Taking entries back, to the byte.

use crate::decisions::{self, Answer};
use crate::files::read_text;
use crate::folder::{self, TransactionError, digest};
use crate::merges::{By, Changed, Done, EntryKind, HistoryEntry, NewEntry, in_force, read_all};
use crate::open::Workspace;
use crate::secret;
use crate::state::follow_ups::FOLLOW_UPS;
use crate::write_error::WriteError;
use std::collections::{BTreeMap, BTreeSet};

/// Why nothing was taken back.
#[derive(Debug, thiserror::Error)]
pub enum UndoError {
    /// There is nothing to undo.
    #[error("there is no merge to undo")]
    Nothing,
    /// No such entry.
    #[error("there is no entry `{0}`")]
    Unknown(String),
    /// Several entries are meant by so short a name.
    #[error("`{0}` may be any of {1}")]
    Ambiguous(String, String),
    /// It was taken back before.
    #[error("entry {0} is taken back already")]
    TakenBack(String),
    /// Files were changed since.
    #[error("changed since: {}", .0.join(", "))]
    ChangedSince(Vec<String>),
    /// It couldn't be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// What an undo did.
#[derive(Debug)]
pub struct Undone {
    /// Its entry.
    pub entry: HistoryEntry,
    /// The entries that were in force and no longer are.
    pub taken_back: Vec<String>,
}

/// The entry that a name, its beginning or its end stands for.
///
/// # Errors
/// Where there is none, or more than one.
pub fn named<'a>(entries: &'a [HistoryEntry], name: &str) -> Result<&'a HistoryEntry, UndoError> {
    let exact = entries.iter().find(|e| e.id == name);
    let near: Vec<&HistoryEntry> = match exact {
        Some(entry) => vec![entry],
        None => entries.iter().filter(|e| !name.is_empty() && (e.id.starts_with(name) || e.id.ends_with(name))).collect(),
    };
    match near.as_slice() {
        [] => Err(UndoError::Unknown(name.to_owned())),
        [entry] => Ok(entry),
        several => Err(UndoError::Ambiguous(name.to_owned(), several.iter().map(|e| e.id.as_str()).collect::<Vec<_>>().join(", "))),
    }
}

impl Workspace {
    /// Takes back an entry and all later ones: the files hold again, to the byte, what they held before it.
    /// Without an entry: the latest merge in force.
    pub fn undo(&self, entry: Option<&str>, by: &By) -> Result<Undone, UndoError> {
        let file_error = |e| UndoError::Write(WriteError::File(e));
        let mut lock = folder::take(&self.root).map_err(|e| UndoError::Write(e.into()))?;
        let entries = read_all(&self.root).map_err(file_error)?;
        let active = in_force(&entries);
        let target = match entry {
            Some(name) => named(&entries, name)?,
            None => {
                let in_force = |e: &&HistoryEntry| e.kind == EntryKind::Merge && active.contains(e.id.as_str());
                entries.iter().rev().find(in_force).ok_or(UndoError::Nothing)?
            }
        };
        if !active.contains(target.id.as_str()) {
            return Err(UndoError::TakenBack(target.id.clone()));
        }
        let from = entries.iter().position(|e| e.id == target.id).unwrap_or_default();
        let back = &entries[from..];
        let mut files = self.files_before(back)?;
        let undone = || back.iter().rev().filter(|e| active.contains(e.id.as_str()));
        let answers: Vec<Answer> = undone().filter(|e| e.kind == EntryKind::Merge).flat_map(|e| e.used.clone()).collect();
        if !answers.is_empty() {
            let text = read_text(&self.root, decisions::FILE).map_err(file_error)?;
            let with = decisions::with(Some(text.as_deref().unwrap_or_default()), &answers);
            files.insert(decisions::FILE.to_owned(), (text, with, None));
        }
        let taken_back = undone().map(|e| e.id.clone()).collect();
        let new = NewEntry {
            kind: EntryKind::Undo,
            by,
            files,
            used: Vec::new(),
            answers: BTreeMap::new(),
            changes: Vec::new(),
            unwritten: BTreeMap::new(),
            // Also those that are taken back already: an undo among them must not count again.
            undoes: back.iter().map(|e| e.id.clone()).collect(),
            done: Done::default(),
        };
        let entry = new.write(&self.root, &mut lock).map_err(UndoError::Write)?;
        Ok(Undone { entry, taken_back })
    }

    /// The files that these latest entries wrote, as they are and as they were before the first of them.
    fn files_before(&self, back: &[HistoryEntry]) -> Result<BTreeMap<String, Changed>, UndoError> {
        let mut now_there: BTreeMap<&str, Option<String>> = BTreeMap::new();
        // What each file held, a password masked, and the mode it had.
        let mut restored: BTreeMap<&str, (Option<String>, Option<u32>)> = BTreeMap::new();
        let mut changed = BTreeSet::new();
        for entry in back.iter().rev() {
            for file in entry.files.iter().filter(|f| f.path != decisions::FILE) {
                let path = file.path.as_str();
                if !now_there.contains_key(path) {
                    if !folder::is_ours(path) {
                        return Err(UndoError::Write(TransactionError::from(folder::Refused::Outside(path.to_owned())).into()));
                    }
                    let text = read_text(&self.root, path).map_err(|e| UndoError::Write(WriteError::File(e)))?;
                    restored.insert(path, (text.as_deref().map(|text| secret::masked(path, text)), None));
                    now_there.insert(path, text);
                }
                let (current, _) = restored.get(path).cloned().unwrap_or_default();
                // What was closed since is no reason to keep the rest.
                if path != FOLLOW_UPS && current.as_deref().map(digest) != file.after {
                    changed.insert(file.path.clone());
                }
                restored.insert(path, (file.before.clone(), file.mode));
            }
        }
        if !changed.is_empty() {
            return Err(UndoError::ChangedSince(changed.into_iter().collect()));
        }
        let mut files = BTreeMap::new();
        for (path, text) in now_there {
            let (before, mode) = restored.remove(path).unwrap_or_default();
            let before = before.map(|masked| secret::revealed(path, &masked, text.as_deref().unwrap_or_default()));
            if text != before {
                files.insert(path.to_owned(), (text, before, mode));
            }
        }
        Ok(files)
    }
}
