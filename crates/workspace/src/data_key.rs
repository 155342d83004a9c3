//! What hashes of the data are made with.

use crate::files::{FileError, read_text};
use crate::folder::{self, Before, Step, Transaction};
use crate::open::Workspace;
use crate::write_error::WriteError;
use std::path::Path;

/// What hashes of the data are made with: kept out of version control, apart from the hashes.
pub(crate) const DATA_KEY: &str = ".ysomorph/data.key";

/// The list of what stays out of version control.
pub(crate) const IGNORE_FILE: &str = ".ysomorph/.gitignore";
pub(crate) const IGNORED: &str = "lock\npending/\ndata.key\n";

/// What hashes of the data are made with, if a workspace keeps any.
///
/// # Errors
/// Where the file can't be read.
pub fn kept_data_key(root: &Path) -> Result<Option<String>, FileError> {
    read_text(root, DATA_KEY)
}

impl Workspace {
    /// Keeps what hashes of the data are made with, out of version control.
    ///
    /// # Errors
    /// Where it can't be written.
    pub fn keep_data_key(&self, key: &str) -> Result<(), WriteError> {
        let mut lock = folder::take(&self.root)?;
        let read = |file: &str| read_text(&self.root, file).map_err(WriteError::File);
        let (before, ignored) = (read(DATA_KEY)?, read(IGNORE_FILE)?);
        let mut steps =
            vec![Step { path: DATA_KEY.to_owned(), before: Before::of(before.as_deref()), new: Some(key.to_owned()), mode: Some(0o600) }];
        let text = ignored.clone().unwrap_or_default();
        if !text.lines().any(|line| line.trim() == "data.key") {
            let end = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
            let new = if text.is_empty() { IGNORED.to_owned() } else { format!("{text}{end}data.key\n") };
            steps.push(Step { path: IGNORE_FILE.to_owned(), before: Before::of(ignored.as_deref()), new: Some(new), mode: None });
        }
        Ok(Transaction { steps }.commit(&self.root, &mut lock)?)
    }
}
