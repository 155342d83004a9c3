//! Why nothing was written.

use crate::files::FileError;
use crate::folder::{LockError, TransactionError};
use crate::kept::ReconcileError;

/// Why nothing was written.
#[derive(Debug, thiserror::Error)]
pub enum WriteError {
    /// The files would say something else than was meant.
    #[error(transparent)]
    Reconcile(#[from] ReconcileError),
    /// The files couldn't be written.
    #[error(transparent)]
    Transaction(#[from] TransactionError),
    /// Somebody else is writing.
    #[error(transparent)]
    Lock(#[from] LockError),
    /// The workspace or an entry can't be read.
    #[error("{}: {}", .0.file, .0.message)]
    File(FileError),
}
