//! `.ysomorph/merges/`: one entry for each thing written, with what is needed to take it back.

mod lines;

use crate::decisions::Answer;
use crate::files::{FileError, list_folder, newer, read_text};
use crate::folder::{self, Before, Lock, Step, Transaction, TransactionError, digest};
use crate::secret;
use crate::write_error::WriteError;
use lines::Splice;
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
pub struct HistoryEntry {
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
    /// Who wrote it, where that is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
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
    /// What it did, for people.
    #[serde(flatten)]
    pub done: Done,
    /// The files it wrote.
    pub files: Vec<FileChange>,
    /// The digests of the files that its changes concern and that it left as they were.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub unwritten: BTreeMap<String, String>,
}

/// What a merge did to the definition, for people.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Done {
    /// The elements that it hid, by path, and why.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub set_aside: Vec<Part>,
    /// The elements that it showed again.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub restored: Vec<Part>,
    /// What it left to people: the follow-ups' names, and what is the matter.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub left: Vec<Part>,
}

/// Something of a merge, by name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Part {
    /// An element's path, or a follow-up's name.
    pub name: String,
    /// Why, or what is the matter.
    pub because: String,
}

/// Who writes, and when.
#[derive(Debug, Clone, Default)]
pub struct By {
    /// The moment, for people.
    pub when: String,
    /// The name, where it is known.
    pub who: Option<String>,
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
    /// What became of its lines, for a file that people read.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lines: Vec<Splice>,
    /// Who may do what with a file that went, as the system's number.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mode: Option<u32>,
}

/// A file with its text before and after, and the mode of one that isn't there yet.
pub(crate) type Changed = (Option<String>, Option<String>, Option<u32>);

/// What an entry is written with.
pub(crate) struct NewEntry<'a> {
    pub kind: EntryKind,
    pub by: &'a By,
    /// The files, by path.
    pub files: BTreeMap<String, Changed>,
    pub used: Vec<Answer>,
    pub answers: BTreeMap<String, String>,
    pub changes: Vec<Change>,
    pub undoes: Vec<String>,
    pub done: Done,
    /// The digests of the files that it concerns and doesn't write.
    pub unwritten: BTreeMap<String, String>,
}

impl NewEntry<'_> {
    /// Writes the entry and its files in one transaction.
    pub fn write(self, root: &Path, lock: &mut Lock) -> Result<HistoryEntry, WriteError> {
        let entries = read_all(root).map_err(WriteError::File)?;
        let mut steps: Vec<Step> = Vec::new();
        let mut files = Vec::new();
        for (path, (before, after, mode)) in self.files {
            let masked = |text: &Option<String>| text.as_deref().map(|text| secret::masked(&path, text));
            let (masked_before, masked_after) = (masked(&before), masked(&after));
            // The workspace's own bookkeeping is nobody's to read.
            let is_read = !path.starts_with(".ysomorph/");
            let lines = |after: &String| lines::between(masked_before.as_deref().unwrap_or_default(), after);
            files.push(FileChange {
                lines: masked_after.as_ref().filter(|_| is_read).map(lines).unwrap_or_default(),
                after: masked_after.as_deref().map(digest),
                before: masked_before,
                mode: if after.is_none() { folder::mode_of(root, &path) } else { None },
                path: path.clone(),
            });
            steps.push(Step { before: Before::of(before.as_deref()), path, new: after, mode });
        }
        let mut entry = HistoryEntry {
            format: FORMAT,
            id: String::new(),
            after: heads(&entries),
            kind: self.kind,
            when: self.by.when.clone(),
            who: self.by.who.clone(),
            changes: self.changes,
            answers: self.answers,
            used: self.used,
            undoes: self.undoes,
            done: self.done,
            files,
            unwritten: self.unwritten,
        };
        // What two branches write at the same moment differs in what it comes after or in what it does.
        let seed = digest(&entry.text()?);
        let day = self.by.when.get(..10).unwrap_or("undated");
        let digits = seed.trim_start_matches("sha256:");
        let names = (0..).map_while(|at| Some(format!("{day}-{}", digits.get(at..at + 6)?)));
        entry.id = names.into_iter().find(|name| entries.iter().all(|e| e.id != *name)).unwrap_or(seed);
        steps.push(Step { path: entry.path(), before: Before::Absent, new: Some(entry.text()?), mode: None });
        Transaction { steps }.commit(root, lock)?;
        Ok(entry)
    }
}

impl FileChange {
    /// What the file held after, a password masked; nothing where it went, or where the entry doesn't tell.
    pub fn text_after(&self) -> Option<String> {
        let after = self.after.as_deref()?;
        let text = lines::applied(self.before.as_deref().unwrap_or_default(), &self.lines);
        (digest(&text) == after).then_some(text)
    }
}

impl HistoryEntry {
    fn path(&self) -> String {
        format!("{FOLDER}/{}.json", self.id)
    }

    fn text(&self) -> Result<String, TransactionError> {
        let failed = |e| TransactionError::Io { path: self.path(), source: std::io::Error::other(e) };
        serde_json::to_string_pretty(self).map(|text| text + "\n").map_err(failed)
    }
}

/// The entries that no other one comes after.
pub(crate) fn heads(entries: &[HistoryEntry]) -> Vec<String> {
    let followed: BTreeSet<&String> = entries.iter().flat_map(|e| &e.after).collect();
    entries.iter().map(|e| &e.id).filter(|id| !followed.contains(id)).cloned().collect()
}

/// All entries, each after those it was written after.
pub fn read_all(root: &Path) -> Result<Vec<HistoryEntry>, FileError> {
    let mut entries = Vec::new();
    for name in list_folder(root, FOLDER)?.into_iter().filter(|n| n.ends_with(".json")) {
        let file = format!("{FOLDER}/{name}");
        let Some(text) = read_text(root, &file)? else { continue };
        let failed = |message: String| FileError::new(file.clone(), message);
        let value: serde_json::Value = serde_json::from_str(&text).map_err(|e| failed(e.to_string()))?;
        let format = value.get("format").and_then(serde_json::Value::as_u64).unwrap_or_default();
        if format > u64::from(FORMAT) {
            return Err(failed(newer(format, FORMAT)));
        }
        let mut entry: HistoryEntry = serde_json::from_value(numbered(value)).map_err(|e| failed(e.to_string()))?;
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
fn in_order(mut entries: Vec<HistoryEntry>) -> Vec<HistoryEntry> {
    entries.sort_by(|a, b| (&a.when, &a.id).cmp(&(&b.when, &b.id)));
    let known: BTreeSet<String> = entries.iter().map(|e| e.id.clone()).collect();
    let (mut sorted, mut done): (Vec<HistoryEntry>, BTreeSet<String>) = (Vec::new(), BTreeSet::new());
    while !entries.is_empty() {
        let is_next = |e: &HistoryEntry| e.after.iter().all(|id| done.contains(id) || !known.contains(id));
        // A circle can't come from this program; whatever comes first then ends it.
        let at = entries.iter().position(is_next).unwrap_or(0);
        let entry = entries.remove(at);
        done.insert(entry.id.clone());
        sorted.push(entry);
    }
    sorted
}

/// Merges that are in force: not taken back by an undo that is itself in force.
pub fn in_force(entries: &[HistoryEntry]) -> BTreeSet<&str> {
    let mut active: BTreeSet<&str> = entries.iter().map(|e| e.id.as_str()).collect();
    for entry in entries.iter().rev().filter(|e| e.kind == EntryKind::Undo) {
        if active.contains(entry.id.as_str()) {
            active.retain(|id| !entry.undoes.iter().any(|undone| undone == id));
        }
    }
    active
}
