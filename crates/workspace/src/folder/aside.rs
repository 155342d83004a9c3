//! Files beside the workspace's own, which nothing depends on: a cache may be gone, old or somebody else's at any time.

use super::lasting::make_folder;
use super::paths::plain_file;
use std::fs;
use std::io::{self, Write};
use std::path::Path;

/// Whether a plain file stands at a path.
pub(crate) fn is_file(root: &Path, path: &str) -> bool {
    plain_file(root, path).is_ok_and(|there| there.is_some())
}

/// Writes files into a folder below the root, each as a whole: who reads meanwhile sees the old one or the new one.
///
/// # Errors
/// Where the folder isn't a real one, or can't be written to.
pub(crate) fn put_aside(root: &Path, folder: &str, files: &[(&str, &str)]) -> io::Result<()> {
    make_folder(root, folder).map_err(io::Error::other)?;
    for (name, text) in files {
        let target = root.join(folder).join(name);
        if fs::read(&target).is_ok_and(|there| there == text.as_bytes()) {
            continue;
        }
        let mut file = tempfile::NamedTempFile::new_in(root.join(folder))?;
        file.write_all(text.as_bytes())?;
        file.persist(target).map_err(|error| error.error)?;
    }
    Ok(())
}
