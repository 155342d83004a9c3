//! Writes many files wholly or not at all.
//!
//! ```text
//! pending/*.new written and synced ─▶ pending/commit.tmp synced ─▶ renamed to pending/commit   (the commit point)
//!   ─▶ files renamed into place ─▶ their folders synced ─▶ pending/commit removed
//! ```
//! Before the commit point nothing has changed; after it, [`recover`] finishes the work.

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Component, Path, PathBuf};

/// What a file is expected to hold before a step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Before {
    /// It isn't there.
    Absent,
    /// Exactly this text.
    Text(String),
    /// Whatever it is.
    Any,
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
}

/// Files to be written together.
#[derive(Debug, Default)]
pub struct Transaction {
    /// The steps.
    pub steps: Vec<Step>,
}

/// Why nothing, or not all, was written.
#[derive(Debug, thiserror::Error)]
pub enum TransactionError {
    /// A file isn't what it was when it was read.
    #[error("`{0}` changed meanwhile")]
    ChangedMeanwhile(String),
    /// A path would leave the workspace.
    #[error("`{0}` leads out of the workspace")]
    Outside(String),
    /// The system refused.
    #[error("cannot write `{path}`: {source}")]
    Io {
        /// The file or folder.
        path: String,
        /// What came back.
        source: io::Error,
    },
}

#[derive(Serialize, Deserialize)]
struct Commit {
    steps: Vec<CommitStep>,
}

#[derive(Serialize, Deserialize)]
struct CommitStep {
    path: String,
    /// The pending file; absent where the file goes.
    pending: Option<String>,
}

/// The digest of a text, for entries and reports.
pub fn digest(text: &str) -> String {
    let hash = Sha256::digest(text.as_bytes());
    format!("sha256:{}", hash.iter().map(|b| format!("{b:02x}")).collect::<String>())
}

fn folder(root: &Path) -> PathBuf {
    root.join(".ysomorph").join("pending")
}

fn io_error(path: &Path, root: &Path) -> impl FnOnce(io::Error) -> TransactionError {
    let path = path.strip_prefix(root).unwrap_or(path).display().to_string();
    move |source| TransactionError::Io { path, source }
}

impl Transaction {
    /// Writes all steps. The caller holds the lock.
    pub fn commit(&self, root: &Path) -> Result<(), TransactionError> {
        self.prepare(root)?;
        recover(root).map(|_| ())
    }

    /// Everything up to and including the commit point.
    pub(crate) fn prepare(&self, root: &Path) -> Result<(), TransactionError> {
        for step in &self.steps {
            check_path(root, &step.path)?;
            let current = match fs::read(root.join(&step.path)) {
                Ok(bytes) => Some(bytes),
                Err(error) if error.kind() == io::ErrorKind::NotFound => None,
                Err(error) => return Err(io_error(&root.join(&step.path), root)(error)),
            };
            let as_expected = match &step.before {
                Before::Absent => current.is_none(),
                Before::Text(text) => current.as_deref() == Some(text.as_bytes()),
                Before::Any => true,
            };
            if !as_expected {
                return Err(TransactionError::ChangedMeanwhile(step.path.clone()));
            }
        }
        let pending = folder(root);
        fs::create_dir_all(&pending).map_err(io_error(&pending, root))?;
        let mut commit = Commit { steps: Vec::new() };
        for (at, step) in self.steps.iter().enumerate() {
            let name = step.new.as_ref().map(|_| format!("{at}.new"));
            if let (Some(name), Some(text)) = (&name, &step.new) {
                write_synced(&pending.join(name), text.as_bytes(), root)?;
            }
            commit.steps.push(CommitStep { path: step.path.clone(), pending: name });
        }
        sync_folder(&pending, root)?;
        let temporary = pending.join("commit.tmp");
        let text = serde_json::to_vec(&commit).map_err(|e| io_error(&temporary, root)(io::Error::other(e)))?;
        write_synced(&temporary, &text, root)?;
        fs::rename(&temporary, pending.join("commit")).map_err(io_error(&temporary, root))?;
        sync_folder(&pending, root)
    }
}

/// Finishes a write that was interrupted after its commit point, and drops one that wasn't that far. Returns
/// whether anything was finished.
pub fn recover(root: &Path) -> Result<bool, TransactionError> {
    let pending = folder(root);
    let commit_file = pending.join("commit");
    let text = match fs::read(&commit_file) {
        Ok(text) => text,
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            if let Ok(entries) = fs::read_dir(&pending) {
                // Leftovers before the commit point: nothing depends on them, and a read-only folder may keep them.
                entries.flatten().for_each(|e| drop(fs::remove_file(e.path())));
            }
            return Ok(false);
        }
        Err(error) => return Err(io_error(&commit_file, root)(error)),
    };
    let commit: Commit = serde_json::from_slice(&text).map_err(|e| io_error(&commit_file, root)(io::Error::other(e)))?;
    let mut folders = BTreeSet::new();
    for step in &commit.steps {
        check_path(root, &step.path)?;
        let target = root.join(&step.path);
        if let Some(parent) = target.parent() {
            fs::create_dir_all(parent).map_err(io_error(parent, root))?;
            folders.insert(parent.to_owned());
        }
        match &step.pending {
            Some(name) => {
                let from = pending.join(name);
                // Already moved before the interruption.
                if from.exists() {
                    if let Ok(known) = fs::metadata(&target) {
                        let _ = fs::set_permissions(&from, known.permissions());
                    }
                    fs::rename(&from, &target).map_err(io_error(&target, root))?;
                }
            }
            None => match fs::remove_file(&target) {
                Ok(()) => {}
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => return Err(io_error(&target, root)(error)),
            },
        }
    }
    for folder in &folders {
        sync_folder(folder, root)?;
    }
    fs::remove_file(&commit_file).map_err(io_error(&commit_file, root))?;
    sync_folder(&pending, root)?;
    Ok(true)
}

/// No path leaves the workspace, neither by its parts nor through a link.
fn check_path(root: &Path, path: &str) -> Result<(), TransactionError> {
    let outside = || TransactionError::Outside(path.to_owned());
    let relative = Path::new(path);
    if path.contains('\\') || !relative.components().all(|c| matches!(c, Component::Normal(_))) {
        return Err(outside());
    }
    let (Ok(real_root), Some(parent)) = (root.canonicalize(), root.join(relative).parent().map(Path::to_owned)) else {
        return Err(outside());
    };
    match parent.canonicalize() {
        Ok(real) if !real.starts_with(&real_root) => Err(outside()),
        _ => Ok(()),
    }
}

fn write_synced(path: &Path, bytes: &[u8], root: &Path) -> Result<(), TransactionError> {
    let mut file = File::create(path).map_err(io_error(path, root))?;
    file.write_all(bytes).and_then(|()| file.sync_all()).map_err(io_error(path, root))
}

fn sync_folder(path: &Path, root: &Path) -> Result<(), TransactionError> {
    File::open(path).and_then(|f| f.sync_all()).map_err(io_error(path, root))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn step(path: &str, before: Before, new: Option<&str>) -> Step {
        Step { path: path.into(), before, new: new.map(str::to_owned) }
    }

    #[test]
    fn a_write_is_wholly_old_or_wholly_new_wherever_it_stops() {
        // Stopped before the commit point, and after each rename.
        for stop in 0..4 {
            let dir = tempfile::tempdir().unwrap();
            let root = dir.path();
            fs::create_dir_all(root.join(".ysomorph/pending")).unwrap();
            fs::write(root.join("a"), "old a").unwrap();
            fs::write(root.join("gone"), "old").unwrap();
            let transaction = Transaction {
                steps: vec![
                    step("a", Before::Text("old a".into()), Some("new a")),
                    step("app/b", Before::Absent, Some("new b")),
                    step("gone", Before::Any, None),
                ],
            };
            if stop == 0 {
                fs::write(root.join(".ysomorph/pending/0.new"), "new a").unwrap();
                assert!(!recover(root).unwrap());
                assert_eq!(fs::read_to_string(root.join("a")).unwrap(), "old a");
                continue;
            }
            transaction.prepare(root).unwrap();
            if stop > 1 {
                fs::rename(root.join(".ysomorph/pending/0.new"), root.join("a")).unwrap();
            }
            if stop > 2 {
                fs::remove_file(root.join("gone")).unwrap();
            }
            assert!(recover(root).unwrap());
            assert_eq!(
                (fs::read_to_string(root.join("a")).unwrap(), fs::read_to_string(root.join("app/b")).unwrap()),
                ("new a".into(), "new b".into())
            );
            assert!(!root.join("gone").exists() && !recover(root).unwrap());
        }
    }

    #[test]
    fn nothing_is_written_when_a_file_changed_or_leads_out() {
        let dir = tempfile::tempdir().unwrap();
        fs::write(dir.path().join("a"), "edited").unwrap();
        let failed = |steps| Transaction { steps }.commit(dir.path()).unwrap_err().to_string();
        assert!(
            failed(vec![step("b", Before::Absent, Some("b")), step("a", Before::Text("read".into()), Some("c"))]).contains("`a` changed")
        );
        for path in ["../x", "/etc/x", "app/../../x"] {
            assert!(failed(vec![step(path, Before::Any, Some("x"))]).contains("out of the workspace"));
        }
        assert!(!dir.path().join("b").exists());
    }
}
