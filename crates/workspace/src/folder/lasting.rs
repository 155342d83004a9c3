//! What makes writes last, and why they fail.

use super::paths::{Refused, inspect};
use sha2::{Digest, Sha256};
use std::fs::{self, File};
use std::io;
use std::path::Path;

/// Why nothing, or not all, was written.
#[derive(Debug, thiserror::Error)]
pub enum TransactionError {
    /// A file isn't what it was when it was read.
    #[error("`{0}` changed meanwhile")]
    ChangedMeanwhile(String),
    /// A path isn't one that may be read or written.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// A file may not be written.
    #[error("`{0}` is read-only")]
    ReadOnly(String),
    /// A file's owner would change.
    #[error("`{path}` belongs to somebody else, and would be yours when written anew: {source}")]
    Owner {
        /// The file.
        path: String,
        /// What came back.
        source: io::Error,
    },
    /// The system refused.
    #[error("cannot write `{path}`: {source}")]
    Io {
        /// The file or folder.
        path: String,
        /// What came back.
        source: io::Error,
    },
    /// What an interrupted write left isn't what it should be.
    #[error("`{path}` can't be used: {why}")]
    Broken {
        /// The file.
        path: String,
        /// What is wrong with it.
        why: String,
    },
    /// It stopped midway, and what was written couldn't be put back.
    #[error("the write stopped midway and is completed by the next command: {0}")]
    Midway(Box<TransactionError>),
}

/// The digest of a text, for entries and reports.
pub fn digest(text: &str) -> String {
    digest_of(text.as_bytes())
}

pub(super) fn digest_of(bytes: &[u8]) -> String {
    let hash = Sha256::digest(bytes);
    format!("sha256:{}", hash.iter().map(|b| format!("{b:02x}")).collect::<String>())
}

pub(super) fn io_error(path: &Path, root: &Path) -> impl FnOnce(io::Error) -> TransactionError {
    let path = path.strip_prefix(root).unwrap_or(path).display().to_string();
    move |source| TransactionError::Io { path, source }
}

/// Makes a folder below the root with those above it; each lasts once its parent is synced.
pub(super) fn make_folder(root: &Path, folder: &str) -> Result<(), TransactionError> {
    let mut done = String::new();
    for part in folder.split('/') {
        let parent = root.join(&done);
        done = if done.is_empty() { part.to_owned() } else { format!("{done}/{part}") };
        match inspect(root, &done)? {
            Some(there) if there.is_dir() => {}
            Some(_) => return Err(Refused::Kind(done, "a file", "a folder").into()),
            None => {
                let path = root.join(&done);
                match fs::create_dir(&path) {
                    Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(io_error(&path, root)(error)),
                    _ => sync_folder(&parent, root)?,
                }
            }
        }
    }
    Ok(())
}

pub(super) fn sync_folder(path: &Path, root: &Path) -> Result<(), TransactionError> {
    File::open(path).and_then(|f| f.sync_all()).map_err(io_error(path, root))
}
