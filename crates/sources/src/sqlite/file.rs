//! Opening a database file so that nothing is left beside it, whatever state it is in.
//!
//! | the file is in | and beside it | it is opened |
//! |---|---|---|
//! | rollback mode | anything | read-only: SQLite makes nothing beside it then |
//! | write-ahead mode | a shared-memory file | read-only: somebody has it open, all files are there |
//! | | nothing, or an empty log | as an immutable one, and looked at again afterwards: had somebody written, all is read again |
//! | | a log alone, left by a crash | from a copy in a private folder: reading the log makes a shared-memory file |

use super::connection::{plain, prepare_connection};
use crate::SourceError;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};
use rusqlite::{Connection, OpenFlags};
use std::fs::{self, File};
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};
use tempfile::TempDir;

/// How often a file that others write to is read anew.
const ATTEMPTS: usize = 20;

/// A file that was written to this shortly before could be written to again without showing it.
const TICK: Duration = Duration::from_millis(20);

/// What must stand escaped in a file's URI.
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'.').remove(b'-').remove(b'_').remove(b'~');

/// A database file that is looked at.
pub struct Looked {
    path: PathBuf,
    way: Way,
}

enum Way {
    Plain,
    Immutable(Stamp),
    /// The folder goes with it.
    Copied(TempDir, Stamp),
}

/// What changes when somebody writes to a file.
#[derive(Debug, PartialEq, Eq)]
struct Stamp {
    length: u64,
    modified: Option<SystemTime>,
    head: Vec<u8>,
    log: Option<(u64, Option<SystemTime>)>,
}

/// Looks at a database file: again where somebody wrote to it in a way that could have been misread.
pub(crate) fn look<T>(path: &Path, mut work: impl FnMut(&Looked) -> Result<T, SourceError>) -> Result<T, SourceError> {
    for _ in 0..ATTEMPTS {
        let looked = Looked::at(path)?;
        let outcome = work(&looked);
        if looked.is_unchanged() {
            return outcome;
        }
        // Whoever writes now has its files beside it soon.
        std::thread::sleep(TICK);
    }
    work(&Looked { path: path.to_owned(), way: Way::Plain })
}

impl Looked {
    fn at(path: &Path) -> Result<Looked, SourceError> {
        let failed = |reason: String| SourceError::Open { path: path.to_owned(), reason };
        let there = match fs::metadata(path) {
            Ok(there) => there,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Err(failed("there is no such file".into())),
            Err(error) => return Err(failed(error.to_string())),
        };
        if there.is_dir() {
            return Err(failed("it is a folder".into()));
        }
        // A pipe would be waited for.
        if !there.is_file() {
            return Err(failed("it is no plain file".into()));
        }
        // SQLite keeps its files beside the file itself, not beside a link to it.
        let path = fs::canonicalize(path).map_err(|e| failed(e.to_string()))?;
        let way = Way::of(&path).map_err(|e| failed(e.to_string()))?;
        Ok(Looked { path, way })
    }

    /// Whether nobody wrote to it in a way that this way of reading misses.
    fn is_unchanged(&self) -> bool {
        match &self.way {
            Way::Plain => true,
            Way::Immutable(stamp) | Way::Copied(_, stamp) => {
                !exists(&beside(&self.path, "-shm")) && Stamp::of(&self.path).is_ok_and(|now| now == *stamp)
            }
        }
    }

    /// A connection for looking only. Statements can be prepared, also ones that would write; none could run.
    pub fn connect(&self) -> Result<Connection, SourceError> {
        let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX;
        let connect = || -> rusqlite::Result<Connection> {
            let connection = match &self.way {
                Way::Plain => Connection::open_with_flags(&self.path, flags)?,
                Way::Immutable(_) => {
                    let uri = format!("file:{}?immutable=1", percent_encode(self.path.as_os_str().as_encoded_bytes(), ESCAPED));
                    Connection::open_with_flags(uri, flags | OpenFlags::SQLITE_OPEN_URI)?
                }
                Way::Copied(folder, _) => Connection::open_with_flags(folder.path().join("copy.db"), flags)?,
            };
            connection.busy_timeout(Duration::from_secs(5))?;
            prepare_connection(&connection)?;
            connection.query_row("SELECT count(*) FROM sqlite_schema", [], |_| Ok(()))?;
            Ok(connection)
        };
        connect().map_err(|error| SourceError::Open { path: self.path.clone(), reason: self.reason(&error) })
    }

    /// What hinders reading, in the words of who has to do something about it.
    fn reason(&self, error: &rusqlite::Error) -> String {
        const READONLY_ROLLBACK: i32 = 776;
        match error {
            rusqlite::Error::SqliteFailure(code, _)
                if code.extended_code == READONLY_ROLLBACK
                    || (code.code == rusqlite::ErrorCode::CannotOpen && exists(&beside(&self.path, "-journal"))) =>
            {
                let journal = beside(&self.path, "-journal");
                format!(
                    "a write to it was interrupted: `{}` has to be rolled back first, which any program does that may write to the database",
                    journal.file_name().unwrap_or_default().to_string_lossy()
                )
            }
            other => plain(other),
        }
    }
}

impl Way {
    fn of(path: &Path) -> io::Result<Way> {
        let mut stamp = Stamp::of(path)?;
        // Bytes 18 and 19 of the header say which mode the file is in.
        if stamp.head.get(18..20) != Some(&[2, 2]) || exists(&beside(path, "-shm")) {
            return Ok(Way::Plain);
        }
        while stamp.modified.is_some_and(|at| at.elapsed().is_ok_and(|ago| ago < TICK)) {
            std::thread::sleep(TICK);
            stamp = Stamp::of(path)?;
        }
        if stamp.log.is_none_or(|(length, _)| length == 0) {
            return Ok(Way::Immutable(stamp));
        }
        let folder = TempDir::with_prefix("ysomorph-")?;
        fs::copy(path, folder.path().join("copy.db"))?;
        fs::copy(beside(path, "-wal"), folder.path().join("copy.db-wal"))?;
        Ok(Way::Copied(folder, stamp))
    }
}

impl Stamp {
    fn of(path: &Path) -> io::Result<Stamp> {
        let there = fs::metadata(path)?;
        let mut head = Vec::new();
        File::open(path)?.take(100).read_to_end(&mut head)?;
        let log = fs::metadata(beside(path, "-wal")).ok().map(|log| (log.len(), log.modified().ok()));
        Ok(Stamp { length: there.len(), modified: there.modified().ok(), head, log })
    }
}

fn beside(path: &Path, ending: &str) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(ending);
    PathBuf::from(name)
}

fn exists(path: &Path) -> bool {
    fs::symlink_metadata(path).is_ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sqlite::read;
    use std::collections::BTreeSet;

    fn names(folder: &Path) -> BTreeSet<String> {
        fs::read_dir(folder).unwrap().flatten().map(|e| e.file_name().to_string_lossy().into_owned()).collect()
    }

    fn write(path: &Path, sql: &str) -> Connection {
        let connection = Connection::open(path).unwrap();
        connection.execute_batch(sql).unwrap();
        connection
    }

    #[test]
    fn nothing_is_left_beside_a_file_in_any_mode() {
        for mode in ["wal", "delete", "truncate", "persist"] {
            for name in ["my.db", "odd ?name#%41&.db", "größe.db"] {
                let folder = tempfile::tempdir().unwrap();
                let path = folder.path().join(name);
                drop(write(&path, &format!("PRAGMA journal_mode = {mode}; CREATE TABLE a (id INTEGER PRIMARY KEY, x TEXT)")));
                let before = names(folder.path());
                let bytes = fs::read(&path).unwrap();
                assert_eq!(read(&path).unwrap().tables.len(), 1, "{mode} {name}");
                assert_eq!((names(folder.path()), fs::read(&path).unwrap() == bytes), (before, true), "{mode} {name}");
            }
        }
    }

    #[test]
    fn what_a_writer_has_not_brought_home_yet_is_read() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("my.db");
        let writer =
            write(&path, "PRAGMA journal_mode = wal; CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY)");
        assert_eq!(read(&path).unwrap().tables.len(), 2);
        // A crash: the log stays, its shared memory is gone.
        let crashed = tempfile::tempdir().unwrap();
        for file in ["my.db", "my.db-wal"] {
            fs::copy(folder.path().join(file), crashed.path().join(file)).unwrap();
        }
        drop(writer);
        let before = names(crashed.path());
        assert_eq!(read(&crashed.path().join("my.db")).unwrap().tables.len(), 2);
        assert_eq!(names(crashed.path()), before);
    }

    #[test]
    fn a_file_that_is_written_to_meanwhile_is_read_as_it_was_at_one_moment() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("my.db");
        drop(write(&path, "PRAGMA journal_mode = wal; CREATE TABLE t0 (id INTEGER PRIMARY KEY); CREATE TABLE u0 (id INTEGER PRIMARY KEY)"));
        let over = std::sync::atomic::AtomicBool::new(false);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                for n in 1..60 {
                    // Opened and closed each time, so that the log comes and goes. Both tables move at once.
                    let last = n - 1;
                    drop(write(
                        &path,
                        &format!("PRAGMA busy_timeout = 5000; BEGIN IMMEDIATE; ALTER TABLE t{last} RENAME TO t{n}; ALTER TABLE u{last} RENAME TO u{n}; COMMIT"),
                    ));
                }
                over.store(true, std::sync::atomic::Ordering::Relaxed);
            });
            while !over.load(std::sync::atomic::Ordering::Relaxed) {
                let tables: Vec<String> = read(&path).unwrap().tables.iter().map(|t| t.name[1..].to_owned()).collect();
                assert!(matches!(tables.as_slice(), [t, u] if t == u), "{tables:?}");
            }
        });
    }

    #[test]
    fn a_hot_journal_is_named_as_what_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("my.db");
        let writer = write(&path, "CREATE TABLE a (id INTEGER PRIMARY KEY, x TEXT); PRAGMA cache_size = 1; BEGIN IMMEDIATE");
        for _ in 0..200 {
            writer.execute("INSERT INTO a (x) VALUES (hex(randomblob(900)))", []).unwrap();
        }
        // A crash in the middle of a transaction that had reached the file.
        let crashed = tempfile::tempdir().unwrap();
        for file in ["my.db", "my.db-journal"] {
            fs::copy(folder.path().join(file), crashed.path().join(file)).unwrap();
        }
        let error = read(&crashed.path().join("my.db")).unwrap_err().to_string();
        assert!(error.contains("a write to it was interrupted: `my.db-journal` has to be rolled back first"), "{error}");
    }
}
