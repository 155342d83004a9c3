//! One writer at a time.

use fs4::FileExt;
use std::fs::{File, OpenOptions};
use std::io::{Read, Write};
use std::path::Path;
use std::time::{Duration, Instant};

/// Why the lock can't be had.
#[derive(Debug, thiserror::Error)]
pub enum LockError {
    /// Somebody else is writing.
    #[error("the workspace is being written by {0}")]
    Held(String),
    /// The system refused.
    #[error("cannot write `.ysomorph/lock`: {0}")]
    Io(#[from] std::io::Error),
}

/// Holds the workspace for writing.
#[derive(Debug)]
#[must_use = "dropping it releases the workspace"]
pub(crate) struct Lock {
    _file: File,
}

/// Takes the lock, waiting up to two seconds.
pub(crate) fn take(root: &Path) -> Result<Lock, LockError> {
    let folder = root.join(".ysomorph");
    std::fs::create_dir_all(&folder)?;
    let mut file = OpenOptions::new().create(true).truncate(false).read(true).write(true).open(folder.join("lock"))?;
    let started = Instant::now();
    while FileExt::try_lock(&file).is_err() {
        if started.elapsed() > Duration::from_secs(2) {
            let mut holder = String::new();
            let _ = file.read_to_string(&mut holder);
            return Err(LockError::Held(if holder.trim().is_empty() { "another program".to_owned() } else { holder.trim().to_owned() }));
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    file.set_len(0)?;
    write!(file, "process {}", std::process::id())?;
    Ok(Lock { _file: file })
}
