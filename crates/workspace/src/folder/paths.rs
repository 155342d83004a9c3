//! Which paths are the workspace's own, and what stands at one.

use std::fs::{self, Metadata};
use std::io;
use std::path::{Component, Path};

/// Why a path isn't read or written.
#[derive(Debug, thiserror::Error)]
pub enum Refused {
    /// It would leave the workspace, or isn't one of its own files.
    #[error("`{0}` leads out of the workspace's own files")]
    Outside(String),
    /// It is a link, or lies behind one.
    #[error("`{0}` is a link; in a workspace only plain files in real folders are read and written")]
    Link(String),
    /// It is something else than was expected.
    #[error("`{0}` is {1}, not {2}")]
    Kind(String, &'static str, &'static str),
    /// It is larger than anything this program writes.
    #[error("`{0}` is too large to be a file of a workspace")]
    TooLarge(String),
    /// The system refused.
    #[error("`{0}`: {1}")]
    Io(String, io::Error),
}

/// The folders whose files are the workspace's own, with the ends of their names.
const OURS: &[(&str, &[&str])] = &[
    ("app", &[".toml", ".po"]),
    (".ysomorph", &[".json", ".toml", ".gitignore", ".gitattributes", ".key"]),
    (".ysomorph/kept", &[".list", ".json"]),
    (".ysomorph/merges", &[".json"]),
];

/// Whether a path, relative to the workspace and with `/`, names a file that this program may write.
pub(crate) fn is_ours(path: &str) -> bool {
    let plain = !path.contains(['\\', '\0']) && path.split('/').all(|part| !matches!(part, "" | "." | ".."));
    match path.rsplit_once('/') {
        None => matches!(path, "ysomorph.toml" | "decisions.toml"),
        Some((folder, name)) => plain && OURS.iter().any(|(own, ends)| *own == folder && ends.iter().any(|end| name.ends_with(end))),
    }
}

/// What stands at a path below the root, without following any link on the way; `None` where nothing does.
pub(super) fn inspect(root: &Path, path: &str) -> Result<Option<Metadata>, Refused> {
    let mut at = root.to_owned();
    let mut parts = Path::new(path).components().peekable();
    while let Some(part) = parts.next() {
        let Component::Normal(part) = part else { return Err(Refused::Outside(path.to_owned())) };
        at.push(part);
        let named = || at.strip_prefix(root).unwrap_or(&at).display().to_string();
        let there = match fs::symlink_metadata(&at) {
            Ok(there) => there,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(Refused::Io(named(), error)),
        };
        if there.is_symlink() {
            return Err(Refused::Link(named()));
        }
        match parts.peek() {
            Some(_) if !there.is_dir() => return Err(Refused::Kind(named(), kind(&there), "a folder")),
            Some(_) => {}
            None => return Ok(Some(there)),
        }
    }
    Err(Refused::Outside(path.to_owned()))
}

/// The plain file at a path; `None` where nothing is.
pub(super) fn plain_file(root: &Path, path: &str) -> Result<Option<Metadata>, Refused> {
    match inspect(root, path)? {
        Some(there) if !there.is_file() => Err(Refused::Kind(path.to_owned(), kind(&there), "a file")),
        there => Ok(there),
    }
}

/// What something is, for people.
fn kind(there: &Metadata) -> &'static str {
    #[cfg(unix)]
    {
        use std::os::unix::fs::FileTypeExt;
        let kind = there.file_type();
        if kind.is_fifo() {
            return "a named pipe";
        }
        if kind.is_socket() {
            return "a socket";
        }
        if kind.is_block_device() || kind.is_char_device() {
            return "a device";
        }
    }
    match () {
        () if there.is_dir() => "a folder",
        () if there.is_file() => "a file",
        () => "something special",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_the_workspaces_own_files_may_be_written() {
        for path in [
            "ysomorph.toml",
            "decisions.toml",
            "app/app.toml",
            "app/zwei_wörter.toml",
            "app/labels.de.po",
            ".ysomorph/accepted.json",
            ".ysomorph/kept/hive.entity.list",
            ".ysomorph/merges/x.json",
            ".ysomorph/.gitignore",
        ] {
            assert!(is_ours(path), "{path}");
        }
        for path in [
            "",
            "/etc/passwd",
            "../ysomorph.toml",
            "app/../../x.toml",
            "app/../x.toml",
            "app//x.toml",
            "app/./x.toml",
            "app/sub/x.toml",
            "app/x.sh",
            "app\\x.toml",
            "app/x\\..\\y.toml",
            "app",
            "app/",
            ".git/hooks/pre-commit",
            ".git/config.toml",
            ".ysomorph/lock",
            ".ysomorph/pending/commit",
            ".ysomorph/pending/0.toml",
            ".ysomorph/merges/../../.git/x.json",
            "C:/x.toml",
            "handmade/season.sql",
            "Cargo.toml",
        ] {
            assert!(!is_ours(path), "{path}");
        }
    }
}
