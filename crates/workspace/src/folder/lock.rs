//! One writer at a time. Lookers take no lock: the writer leaves a stamp behind, by which they see that it wrote.

use super::access::{open, read};
use super::lasting::{TransactionError, make_folder};
use super::paths::plain_file;
use fs4::FileExt;
use std::fs::{File, OpenOptions};
use std::io::{Seek, SeekFrom, Write};
use std::path::Path;
use std::time::{Duration, Instant, SystemTime};

/// Its file.
const FILE: &str = ".ysomorph/lock";

/// How long a writer waits for another one.
const PATIENCE: Duration = Duration::from_secs(10);

/// Why the lock can't be had.
#[derive(Debug, thiserror::Error)]
pub enum LockError {
    /// Somebody else is writing.
    #[error("the workspace is being written by {0}")]
    Held(String),
    /// The system refused, or an earlier write couldn't be completed.
    #[error(transparent)]
    Folder(#[from] TransactionError),
    /// The lock's file can't be written.
    #[error("cannot write `{FILE}`: {0}")]
    Io(#[from] std::io::Error),
}

/// Holds the workspace for writing.
#[derive(Debug)]
#[must_use = "dropping it releases the workspace"]
pub(crate) struct Lock {
    file: File,
    /// Whether an interrupted write was completed on taking it.
    pub recovered: bool,
}

/// The lock alone.
pub(super) fn take_without_recovery(root: &Path) -> Result<Lock, LockError> {
    make_folder(root, ".ysomorph")?;
    plain_file(root, FILE).map_err(TransactionError::from)?;
    let mut options = OpenOptions::new();
    let file = open(&root.join(FILE), options.create(true).truncate(false).read(true).write(true))?;
    let started = Instant::now();
    while FileExt::try_lock(&file).is_err() {
        if started.elapsed() > PATIENCE {
            let holder = read(root, FILE).ok().flatten().map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default();
            let holder = holder.lines().next().unwrap_or_default().trim().to_owned();
            return Err(LockError::Held(if holder.is_empty() { "another program".to_owned() } else { holder }));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
    Ok(Lock { file, recovered: false })
}

impl Lock {
    /// Says that a write is under way: from now on, what lookers read before isn't what they read after.
    pub(super) fn stamp(&mut self) -> std::io::Result<()> {
        let moment = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default().as_nanos();
        let text = format!("process {}\n{moment}\n", std::process::id());
        self.file.seek(SeekFrom::Start(0))?;
        self.file.write_all(text.as_bytes())?;
        self.file.set_len(text.len() as u64)
    }
}

/// The stamp of the latest write; `None` where nothing was ever written here.
pub(super) fn stamp(root: &Path) -> Option<Vec<u8>> {
    read(root, FILE).ok().flatten()
}
