//! `.ysomorph/merges/`: one entry for each thing written, with what is needed to take it back.

use crate::decisions::{self, Answer};
use crate::folder::{self, Before, Lock, Step, Transaction, TransactionError, digest};
use crate::open::{FileError, Workspace, list_folder, newer, read_text};
use crate::plan::WriteError;
use crate::secret;
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

/// The version of entries' format.
const FORMAT: u32 = 2;

/// One entry.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Entry {
    /// Version of the format.
    pub format: u32,
    /// Its name: the day and six hexadecimal digits, so that entries of two branches lie side by side.
    pub id: String,
    /// The latest entries when it was written: one, or more where branches were joined.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub after: Vec<String>,
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
    pub undoes: Vec<String>,
    /// The files it wrote.
    pub files: Vec<FileChange>,
}

/// One file of an entry.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct FileChange {
    /// Relative to the workspace.
    pub path: String,
    /// Its text before, a password in it masked; absent where there was none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The digest of its text after, a password in it masked; absent where it went.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// Who may do what with a file that went, as the system's number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mode: Option<u32>,
}

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

/// A file with its text before and after, and the mode of one that isn't there yet.
pub(crate) type Changed = (Option<String>, Option<String>, Option<u32>);

/// What an entry is written with.
pub(crate) struct NewEntry<'a> {
    pub kind: EntryKind,
    /// The moment, for people.
    pub when: &'a str,
    /// The files, by path.
    pub files: BTreeMap<String, Changed>,
    pub used: Vec<Answer>,
    pub answers: BTreeMap<String, String>,
    pub changes: Vec<Change>,
    pub undoes: Vec<String>,
}

impl NewEntry<'_> {
    /// Writes the entry and its files in one transaction.
    pub fn write(self, root: &Path, lock: &mut Lock) -> Result<Entry, WriteError> {
        let entries = read_all(root).map_err(WriteError::File)?;
        let mut steps: Vec<Step> = Vec::new();
        let mut files = Vec::new();
        for (path, (before, after, mode)) in self.files {
            files.push(FileChange {
                before: before.as_deref().map(|text| secret::masked(&path, text)),
                after: after.as_deref().map(|text| masked_digest(&path, text)),
                mode: if after.is_none() { folder::mode_of(root, &path) } else { None },
                path: path.clone(),
            });
            steps.push(Step { before: Before::of(before.as_deref()), path, new: after, mode });
        }
        let mut entry = Entry {
            format: FORMAT,
            id: String::new(),
            after: heads(&entries),
            kind: self.kind,
            when: self.when.to_owned(),
            changes: self.changes,
            answers: self.answers,
            used: self.used,
            undoes: self.undoes,
            files,
        };
        // What two branches write at the same moment differs in what it comes after or in what it does.
        let seed = digest(&entry.text()?);
        let day = self.when.get(..10).unwrap_or("undated");
        let digits = seed.trim_start_matches("sha256:");
        let names = (0..).map_while(|at| Some(format!("{day}-{}", digits.get(at..at + 6)?)));
        entry.id = names.into_iter().find(|name| entries.iter().all(|e| e.id != *name)).unwrap_or(seed);
        steps.push(Step { path: entry.path(), before: Before::Absent, new: Some(entry.text()?), mode: None });
        Transaction { steps }.commit(root, lock)?;
        Ok(entry)
    }
}

fn masked_digest(path: &str, text: &str) -> String {
    digest(&secret::masked(path, text))
}

impl Entry {
    fn path(&self) -> String {
        format!("{FOLDER}/{}.json", self.id)
    }

    fn text(&self) -> Result<String, TransactionError> {
        let failed = |e| TransactionError::Io { path: self.path(), source: std::io::Error::other(e) };
        serde_json::to_string_pretty(self).map(|text| text + "\n").map_err(failed)
    }
}

/// The entries that no other one comes after.
fn heads(entries: &[Entry]) -> Vec<String> {
    let followed: BTreeSet<&String> = entries.iter().flat_map(|e| &e.after).collect();
    entries.iter().map(|e| &e.id).filter(|id| !followed.contains(id)).cloned().collect()
}

/// All entries, each after those it was written after.
pub fn read_all(root: &Path) -> Result<Vec<Entry>, FileError> {
    let mut entries = Vec::new();
    for name in list_folder(root, FOLDER)?.into_iter().filter(|n| n.ends_with(".json")) {
        let file = format!("{FOLDER}/{name}");
        let Some(text) = read_text(root, &file)? else { continue };
        let failed = |message: String| FileError { file: file.clone(), at: None, message, text: String::new() };
        let value: serde_json::Value = serde_json::from_str(&text).map_err(|e| failed(e.to_string()))?;
        let format = value.get("format").and_then(serde_json::Value::as_u64).unwrap_or_default();
        if format > u64::from(FORMAT) {
            return Err(failed(newer(format, FORMAT)));
        }
        let mut entry: Entry = serde_json::from_value(numbered(value)).map_err(|e| failed(e.to_string()))?;
        if file != entry.path() {
            return Err(failed(format!("it calls itself `{}`", entry.id)));
        }
        // The first format kept them as they were.
        entry.files.iter_mut().for_each(|f| f.before = f.before.take().map(|text| secret::masked(&f.path, &text)));
        entries.push(entry);
    }
    Ok(in_order(entries))
}

/// Entries of the first format were numbered: their numbers are their names, each after the one before.
fn numbered(mut value: serde_json::Value) -> serde_json::Value {
    let Some(number) = value.get("id").and_then(serde_json::Value::as_u64) else { return value };
    value["id"] = format!("{number:04}").into();
    if number > 1 {
        value["after"] = vec![format!("{:04}", number - 1)].into();
    }
    if let Some(undoes) = value.get_mut("undoes").and_then(serde_json::Value::as_array_mut) {
        undoes.iter_mut().for_each(|n| *n = format!("{:04}", n.as_u64().unwrap_or_default()).into());
    }
    value
}

/// Each entry after those it was written after; otherwise by time and name.
fn in_order(mut entries: Vec<Entry>) -> Vec<Entry> {
    entries.sort_by(|a, b| (&a.when, &a.id).cmp(&(&b.when, &b.id)));
    let known: BTreeSet<String> = entries.iter().map(|e| e.id.clone()).collect();
    let (mut sorted, mut done): (Vec<Entry>, BTreeSet<String>) = (Vec::new(), BTreeSet::new());
    while !entries.is_empty() {
        let is_next = |e: &Entry| e.after.iter().all(|id| done.contains(id) || !known.contains(id));
        // A circle can't come from this program; whatever comes first then ends it.
        let at = entries.iter().position(is_next).unwrap_or(0);
        let entry = entries.remove(at);
        done.insert(entry.id.clone());
        sorted.push(entry);
    }
    sorted
}

/// Merges that are in force: not taken back by an undo that is itself in force.
pub fn in_force(entries: &[Entry]) -> BTreeSet<&str> {
    let mut active: BTreeSet<&str> = entries.iter().map(|e| e.id.as_str()).collect();
    for entry in entries.iter().rev().filter(|e| e.kind == EntryKind::Undo) {
        if active.contains(entry.id.as_str()) {
            active.retain(|id| !entry.undoes.iter().any(|undone| undone == id));
        }
    }
    active
}

/// The entry that a name, its beginning or its end stands for.
///
/// # Errors
/// Where there is none, or more than one.
pub fn named<'a>(entries: &'a [Entry], name: &str) -> Result<&'a Entry, UndoError> {
    let exact = entries.iter().find(|e| e.id == name);
    let near: Vec<&Entry> = match exact {
        Some(entry) => vec![entry],
        None => entries.iter().filter(|e| !name.is_empty() && (e.id.starts_with(name) || e.id.ends_with(name))).collect(),
    };
    match near.as_slice() {
        [] => Err(UndoError::Unknown(name.to_owned())),
        [entry] => Ok(entry),
        several => Err(UndoError::Ambiguous(name.to_owned(), several.iter().map(|e| e.id.as_str()).collect::<Vec<_>>().join(", "))),
    }
}

/// What an undo did.
#[derive(Debug)]
pub struct Undone {
    /// Its entry.
    pub entry: Entry,
    /// The entries that were in force and no longer are.
    pub taken_back: Vec<String>,
}

impl Workspace {
    /// Takes back an entry and all later ones: the files hold again, to the byte, what they held before it.
    /// Without an entry: the latest merge in force.
    pub fn undo(&self, entry: Option<&str>, now: &str) -> Result<Undone, UndoError> {
        let file_error = |e| UndoError::Write(WriteError::File(e));
        let mut lock = folder::take(&self.root).map_err(|e| UndoError::Write(e.into()))?;
        let entries = read_all(&self.root).map_err(file_error)?;
        let active = in_force(&entries);
        let target = match entry {
            Some(name) => named(&entries, name)?,
            None => {
                let in_force = |e: &&Entry| e.kind == EntryKind::Merge && active.contains(e.id.as_str());
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
            when: now,
            files,
            used: Vec::new(),
            answers: BTreeMap::new(),
            changes: Vec::new(),
            // Also those that are taken back already: an undo among them must not count again.
            undoes: back.iter().map(|e| e.id.clone()).collect(),
        };
        let entry = new.write(&self.root, &mut lock).map_err(UndoError::Write)?;
        Ok(Undone { entry, taken_back })
    }

    /// The files that these latest entries wrote, as they are and as they were before the first of them.
    fn files_before(&self, back: &[Entry]) -> Result<BTreeMap<String, Changed>, UndoError> {
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
                if current.as_deref().map(digest) != file.after {
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
