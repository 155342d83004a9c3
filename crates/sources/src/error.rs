//! Why a source can't be read.

use crate::server::ServerError;
use std::path::PathBuf;
use ysomorph_core::schema::SnapshotError;

/// Why a schema can't be read.
#[derive(Debug, thiserror::Error)]
pub enum SourceError {
    /// The text names no source.
    #[error("`{0}` is not a source this version reads")]
    Unknown(String),
    /// An environment variable in the text isn't set.
    #[error("the environment has no variable `{0}`")]
    Environment(String),
    /// The url of a server can't be understood.
    #[error("the url {url} can't be used: {reason}")]
    Url {
        /// Its scheme: the rest may hold a password.
        url: String,
        /// What is wrong with it.
        reason: String,
    },
    /// A server can't be read.
    #[error(transparent)]
    Server(#[from] ServerError),
    /// The file can't be opened.
    #[error("cannot open the database `{}`: {reason}", path.display())]
    Open {
        /// The file.
        path: PathBuf,
        /// What came back.
        reason: String,
    },
    /// The database refused to tell its schema.
    #[error("cannot read the schema of `{}`: {reason}", path.display())]
    Read {
        /// The file.
        path: PathBuf,
        /// What came back.
        reason: String,
    },
    /// The snapshot isn't one.
    #[error("cannot read the snapshot `{}`: {source}", path.display())]
    Snapshot {
        /// The file.
        path: PathBuf,
        /// What is wrong with it.
        source: SnapshotError,
    },
}
