//! From the commit point on: putting the pending files in place, also after an interruption, or all of them back.
//!
//! The commit file says of every step what its file held before and what it shall hold, by digest. So each file is
//! known to be old, new or something else, and "gone" is never taken for "already moved".

use super::access::{list, read};
use super::lasting::{TransactionError, digest_of, io_error, make_folder, sync_folder};
use super::lock::{Lock, LockError, stamp, take_without_recovery};
use super::paths::{Refused, is_ours, plain_file};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

/// Where a write is prepared.
pub(super) const PENDING: &str = ".ysomorph/pending";

/// The version of the commit file.
const FORMAT: u32 = 1;

/// How long lookers wait for a writer to be done.
const PATIENCE: Duration = Duration::from_secs(10);

#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Commit {
    format: u32,
    pub steps: Vec<CommitStep>,
}

#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct CommitStep {
    pub path: String,
    /// The digest of what the file held; absent where there was none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// The digest of what it shall hold; absent where it goes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
}

impl Commit {
    pub fn new(steps: Vec<CommitStep>) -> Commit {
        Commit { format: FORMAT, steps }
    }
}

/// Takes the lock, waiting a while, and completes a write that was interrupted: whoever writes begins with a whole
/// workspace.
pub(crate) fn take(root: &Path) -> Result<Lock, LockError> {
    let mut lock = take_without_recovery(root)?;
    lock.recovered = recover(root, &mut lock)?;
    Ok(lock)
}

/// The pending file of a step, by its place in the list.
pub(super) fn new_name(at: usize) -> String {
    format!("{PENDING}/{at}.new")
}

/// What a step's file held, kept until all steps are done.
pub(super) fn old_name(at: usize) -> String {
    format!("{PENDING}/{at}.old")
}

fn commit_name() -> String {
    format!("{PENDING}/commit")
}

/// The commit file, if a write is past its commit point.
fn commit_file(root: &Path) -> Result<Option<Commit>, TransactionError> {
    let Some(bytes) = read(root, &commit_name())? else { return Ok(None) };
    let broken = |why: String| TransactionError::Broken { path: commit_name(), why };
    let format = serde_json::from_slice::<serde_json::Value>(&bytes).ok().and_then(|v| v.get("format")?.as_u64());
    match format {
        Some(format) if format > u64::from(FORMAT) => return Err(broken(format!("it has format {format}, this program knows {FORMAT}"))),
        Some(_) => {}
        None => return Err(broken("it names no format".to_owned())),
    }
    let commit: Commit = serde_json::from_slice(&bytes).map_err(|e| broken(e.to_string()))?;
    let mut paths = BTreeSet::new();
    match commit.steps.iter().find(|s| !is_ours(&s.path) || !paths.insert(s.path.as_str())) {
        Some(step) => Err(Refused::Outside(step.path.clone()).into()),
        None => Ok(Some(commit)),
    }
}

/// Finishes a write that was interrupted after its commit point, and drops one that wasn't that far; by whoever holds
/// the lock. Returns whether anything was finished.
pub(super) fn recover(root: &Path, lock: &mut Lock) -> Result<bool, TransactionError> {
    let Some(commit) = commit_file(root)? else {
        clear(root)?;
        return Ok(false);
    };
    complete(root, &commit, lock)?;
    Ok(true)
}

/// Puts every pending file in place. Nothing is touched before all steps are known to be possible.
pub(super) fn complete(root: &Path, commit: &Commit, lock: &mut Lock) -> Result<(), TransactionError> {
    lock.stamp().map_err(io_error(&root.join(".ysomorph/lock"), root))?;
    let mut to_do = Vec::new();
    for (at, step) in commit.steps.iter().enumerate() {
        let now = read(root, &step.path)?.as_deref().map(digest_of);
        if now == step.after {
            continue;
        }
        if now != step.before {
            return Err(TransactionError::ChangedMeanwhile(step.path.clone()));
        }
        let pending = read(root, &new_name(at))?.as_deref().map(digest_of);
        if step.after.is_some() && pending != step.after {
            return Err(TransactionError::Broken { path: new_name(at), why: "it isn't what was to be written".to_owned() });
        }
        to_do.push((at, step));
    }
    let mut folders = BTreeSet::new();
    for (at, step) in to_do {
        if let Some((folder, _)) = step.path.rsplit_once('/') {
            make_folder(root, folder)?;
        }
        let target = root.join(&step.path);
        folders.extend(target.parent().map(Path::to_owned));
        match step.after {
            Some(_) => fs::rename(root.join(new_name(at)), &target),
            None => fs::remove_file(&target),
        }
        .map_err(io_error(&target, root))?;
    }
    for folder in &folders {
        sync_folder(folder, root)?;
    }
    done(root)
}

/// Puts back what [`complete`] had put in place when it failed midway.
pub(super) fn roll_back(root: &Path, commit: &Commit) -> Result<(), TransactionError> {
    for (at, step) in commit.steps.iter().enumerate() {
        let (target, old) = (root.join(&step.path), root.join(old_name(at)));
        let is_new = read(root, &step.path)?.as_deref().map(digest_of) == step.after && step.after != step.before;
        if !is_new {
            continue;
        }
        match step.before {
            Some(_) => fs::rename(&old, &target),
            None => fs::remove_file(&target),
        }
        .map_err(io_error(&target, root))?;
        if let Some(folder) = target.parent() {
            sync_folder(folder, root)?;
        }
    }
    done(root)
}

/// The write is over: its commit file goes first.
fn done(root: &Path) -> Result<(), TransactionError> {
    let commit = root.join(commit_name());
    fs::remove_file(&commit).map_err(io_error(&commit, root))?;
    sync_folder(&root.join(PENDING), root)?;
    clear(root)
}

/// Takes away what is pending: nothing depends on it. Only plain files right in the folder are ours.
pub(super) fn clear(root: &Path) -> Result<(), TransactionError> {
    for name in list(root, PENDING)?.unwrap_or_default() {
        let path = format!("{PENDING}/{name}");
        if plain_file(root, &path)?.is_some() {
            fs::remove_file(root.join(&path)).map_err(io_error(&root.join(&path), root))?;
        }
    }
    Ok(())
}

/// A moment at which no write is under way. What is read between two equal moments is whole.
#[derive(Debug, PartialEq, Eq)]
struct Settled {
    stamp: Option<Vec<u8>>,
}

/// This moment, unless a write is past its commit point.
fn settled(root: &Path) -> Result<Option<Settled>, LockError> {
    let stamp = stamp(root);
    let under_way = plain_file(root, &commit_name()).map_err(TransactionError::from)?.is_some();
    Ok((!under_way).then_some(Settled { stamp }))
}

/// Reads where nobody writes; nothing where somebody does, or did meanwhile.
pub(crate) fn at_rest<T>(root: &Path, read: impl FnOnce() -> Option<T>) -> Option<T> {
    let before = settled(root).ok()??;
    let outcome = read()?;
    (settled(root).ok()? == Some(before)).then_some(outcome)
}

/// Reads the workspace between two writes: again and again until nobody wrote meanwhile. A write whose writer is gone
/// is completed first, which is the one write a looker may make; the reader is told whether that happened.
///
/// # Errors
/// Where an interrupted write can't be completed, or programs write without a pause.
pub(crate) fn whole<T>(root: &Path, mut read: impl FnMut(bool) -> T) -> Result<T, LockError> {
    let started = Instant::now();
    let mut recovered = false;
    while started.elapsed() < PATIENCE {
        let Some(before) = settled(root)? else {
            recovered |= take(root)?.recovered;
            continue;
        };
        let outcome = read(recovered);
        if settled(root)? == Some(before) {
            return Ok(outcome);
        }
    }
    Err(LockError::Held("programs that write without a pause".to_owned()))
}
