//! Reading the workspace's files and folders.

use super::paths::{Refused, inspect, plain_file};
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read};
use std::path::Path;

/// No file that this program writes is as large.
const LARGEST: u64 = 1 << 30;

/// Opens a file that is known to be a plain one; should it have become something else meanwhile, it is neither
/// followed nor waited for.
pub(super) fn open(path: &Path, options: &mut OpenOptions) -> io::Result<File> {
    #[cfg(unix)]
    {
        use rustix::fs::OFlags;
        use std::os::unix::fs::OpenOptionsExt;
        let flags = OFlags::NOFOLLOW | OFlags::NONBLOCK | OFlags::CLOEXEC;
        options.custom_flags(i32::try_from(flags.bits()).unwrap_or_default());
    }
    options.open(path)
}

/// The bytes of a file below the root; `None` where there is none.
///
/// # Errors
/// Where it isn't a plain file in real folders, or can't be read.
pub(crate) fn read(root: &Path, path: &str) -> Result<Option<Vec<u8>>, Refused> {
    let Some(there) = plain_file(root, path)? else { return Ok(None) };
    if there.len() > LARGEST {
        return Err(Refused::TooLarge(path.to_owned()));
    }
    let mut bytes = Vec::with_capacity(usize::try_from(there.len()).unwrap_or_default());
    match open(&root.join(path), OpenOptions::new().read(true)).and_then(|mut file| file.read_to_end(&mut bytes)) {
        Ok(_) => Ok(Some(bytes)),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(Refused::Io(path.to_owned(), error)),
    }
}

/// The names in a folder below the root, sorted; `None` where there is no such folder. Names that aren't Unicode are
/// none of ours, and left out.
///
/// # Errors
/// Where it isn't a real folder, or can't be listed: never taken for an empty one.
pub(crate) fn list(root: &Path, folder: &str) -> Result<Option<Vec<String>>, Refused> {
    match inspect(root, folder)? {
        None => return Ok(None),
        Some(there) if !there.is_dir() => return Err(Refused::Kind(folder.to_owned(), "a file", "a folder")),
        Some(_) => {}
    }
    let listed = fs::read_dir(root.join(folder)).and_then(|entries| entries.collect::<io::Result<Vec<_>>>());
    let entries = listed.map_err(|error| Refused::Io(folder.to_owned(), error))?;
    let mut names: Vec<String> = entries.into_iter().filter_map(|e| e.file_name().into_string().ok()).collect();
    names.sort();
    Ok(Some(names))
}
