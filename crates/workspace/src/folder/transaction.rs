//! Writes many files wholly or not at all.
//!
//! ```text
//! pending/*.new written and synced ─▶ pending/commit.tmp synced ─▶ renamed to pending/commit   (the commit point)
//!   ─▶ files renamed into place ─▶ their folders synced ─▶ pending/commit removed
//! ```
//! Before the commit point nothing has changed, and everything that can be known to fail has been tried. After it, a
//! failure puts all files back, and an interruption is finished by the next command (`recovery.rs`).

use super::access::{open, read};
use super::lasting::{TransactionError, digest, digest_of, io_error, make_folder, sync_folder};
use super::lock::Lock;
use super::paths::{Refused, is_ours, plain_file};
use super::recovery::{Commit, CommitStep, PENDING, clear, complete, new_name, old_name, roll_back};
use std::collections::BTreeSet;
use std::fs::{self, Metadata, OpenOptions};
use std::io::{self, Write};
use std::path::Path;

/// What a file is expected to hold before a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Before {
    /// It isn't there.
    Absent,
    /// Exactly this text.
    Text(String),
}

impl Before {
    /// What was read.
    pub fn of(text: Option<&str>) -> Before {
        text.map_or(Before::Absent, |text| Before::Text(text.to_owned()))
    }

    fn bytes(&self) -> Option<&[u8]> {
        match self {
            Before::Absent => None,
            Before::Text(text) => Some(text.as_bytes()),
        }
    }
}

/// One file to write or take away.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// Relative to the workspace, with `/`.
    pub path: String,
    /// What it must hold now.
    pub before: Before,
    /// What it shall hold; `None` takes it away.
    pub new: Option<String>,
    /// Who may do what with a file that isn't there yet, as the system's number; one that is there stays as it is.
    pub mode: Option<u32>,
}

/// Files to be written together.
#[derive(Debug, Default)]
pub struct Transaction {
    /// The steps.
    pub steps: Vec<Step>,
}

impl Transaction {
    /// Writes all steps or none.
    ///
    /// # Errors
    /// What hindered it; nothing has changed then, except after [`TransactionError::Midway`].
    pub(crate) fn commit(&self, root: &Path, lock: &mut Lock) -> Result<(), TransactionError> {
        let commit = match self.prepare(root) {
            Ok(commit) => commit,
            Err(error) => {
                // Nothing depends on what was prepared, and a full or read-only disk may keep it.
                let _ = clear(root);
                return Err(error);
            }
        };
        let Err(error) = complete(root, &commit, lock) else { return Ok(()) };
        match roll_back(root, &commit) {
            Ok(()) => Err(error),
            Err(_) => Err(TransactionError::Midway(Box::new(error))),
        }
    }

    /// Everything up to and including the commit point.
    pub(super) fn prepare(&self, root: &Path) -> Result<Commit, TransactionError> {
        if let Some(step) = self.steps.iter().find(|s| !is_ours(&s.path)) {
            return Err(Refused::Outside(step.path.clone()).into());
        }
        self.is_as_expected(root)?;
        make_folder(root, PENDING)?;
        let mut made = BTreeSet::new();
        for step in &self.steps {
            let folder = step.path.rsplit_once('/').map_or("", |(folder, _)| folder);
            if made.insert(folder) {
                may_write_in(root, folder)?;
            }
        }
        let mut steps = Vec::new();
        for (at, step) in self.steps.iter().enumerate() {
            let there = plain_file(root, &step.path)?;
            if let Some(there) = &there {
                if there.permissions().readonly() {
                    return Err(TransactionError::ReadOnly(step.path.clone()));
                }
                keep_old(&root.join(&step.path), &root.join(old_name(at))).map_err(io_error(&root.join(&step.path), root))?;
            }
            if let Some(text) = &step.new {
                let new = root.join(new_name(at));
                write_synced(&new, text.as_bytes(), root)?;
                like(&new, there.as_ref(), step).map_err(|error| match &there {
                    Some(_) => TransactionError::Owner { path: step.path.clone(), source: error },
                    None => io_error(&new, root)(error),
                })?;
            }
            steps.push(CommitStep {
                path: step.path.clone(),
                before: step.before.bytes().map(digest_of),
                after: step.new.as_deref().map(digest),
            });
        }
        let (pending, temporary) = (root.join(PENDING), root.join(PENDING).join("commit.tmp"));
        sync_folder(&pending, root)?;
        let commit = Commit::new(steps);
        let text = serde_json::to_vec(&commit).map_err(|e| io_error(&temporary, root)(io::Error::other(e)))?;
        write_synced(&temporary, &text, root)?;
        // Preparing takes its time, in which people and programs may have written.
        self.is_as_expected(root)?;
        fs::rename(&temporary, pending.join("commit")).map_err(io_error(&temporary, root))?;
        sync_folder(&pending, root)?;
        Ok(commit)
    }

    /// Whether every file still holds what its step expects.
    fn is_as_expected(&self, root: &Path) -> Result<(), TransactionError> {
        for step in &self.steps {
            if read(root, &step.path)?.as_deref() != step.before.bytes() {
                return Err(TransactionError::ChangedMeanwhile(step.path.clone()));
            }
        }
        Ok(())
    }
}

/// Whether files can be put into a folder, which is made if it isn't there: what would fail after the commit point
/// fails now.
fn may_write_in(root: &Path, folder: &str) -> Result<(), TransactionError> {
    if !folder.is_empty() {
        make_folder(root, folder)?;
    }
    let path = root.join(folder);
    let failed = |error: io::Error| io_error(&path.join(""), root)(error);
    #[cfg(unix)]
    {
        use std::os::unix::fs::MetadataExt;
        rustix::fs::access(&path, rustix::fs::Access::WRITE_OK | rustix::fs::Access::EXEC_OK).map_err(|e| failed(e.into()))?;
        let device = |path: &Path| fs::metadata(path).map(|there| there.dev());
        if device(&path).map_err(failed)? != device(&root.join(PENDING)).map_err(failed)? {
            let reason = "it is on another file system than `.ysomorph`, so that no write could be whole";
            return Err(TransactionError::Io { path: folder.to_owned(), source: io::Error::other(reason) });
        }
    }
    #[cfg(not(unix))]
    fs::metadata(&path).map_err(failed)?;
    Ok(())
}

/// Keeps what a file holds under a second name, to put it back.
fn keep_old(file: &Path, kept: &Path) -> io::Result<()> {
    fs::hard_link(file, kept).or_else(|_| fs::copy(file, kept).map(drop))
}

/// Gives a new file the mode and the owner of the one it replaces.
fn like(new: &Path, there: Option<&Metadata>, step: &Step) -> io::Result<()> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::{MetadataExt, PermissionsExt, chown};
        if let Some(there) = there {
            let own = fs::metadata(new)?;
            if (own.uid(), own.gid()) != (there.uid(), there.gid()) {
                chown(new, Some(there.uid()), Some(there.gid()))?;
            }
        }
        if let Some(mode) = there.map(|there| there.permissions().mode()).or(step.mode) {
            fs::set_permissions(new, fs::Permissions::from_mode(mode & 0o7777))?;
        }
    }
    #[cfg(not(unix))]
    let _ = (new, there, step);
    Ok(())
}

/// Who may do what with a file, as the system's number.
pub(crate) fn mode_of(root: &Path, path: &str) -> Option<u32> {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        Some(plain_file(root, path).ok().flatten()?.permissions().mode() & 0o7777)
    }
    #[cfg(not(unix))]
    {
        let _ = (root, path);
        None
    }
}

fn write_synced(path: &Path, bytes: &[u8], root: &Path) -> Result<(), TransactionError> {
    // Whoever made something under this name meanwhile isn't written to.
    let mut file = open(path, OpenOptions::new().write(true).create_new(true)).map_err(io_error(path, root))?;
    file.write_all(bytes).and_then(|()| file.sync_all()).map_err(io_error(path, root))
}
