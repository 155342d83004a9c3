//! A workspace in a temporary folder, its database, and the built program.

use crate::servers::{Place, Server};
use rusqlite::Connection;
use std::collections::BTreeMap;
use std::io::{Read, Seek};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use tempfile::TempDir;

/// What a command printed.
pub struct Ran {
    pub code: i32,
    pub out: String,
    pub err: String,
}

pub struct Project {
    pub dir: TempDir,
    /// The database's file.
    database: &'static str,
}

/// Every file below a folder with its bytes; the lock and what is pending aside.
pub fn files_below(root: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    let mut files = BTreeMap::new();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            if path.is_dir() {
                folders.push(path);
            } else {
                files.insert(path.strip_prefix(root).unwrap().to_owned(), std::fs::read(&path).unwrap());
            }
        }
    }
    files
}

/// Another folder with the same files.
pub fn copy_folder(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap().flatten() {
        let target = to.join(entry.file_name());
        if entry.path().is_dir() {
            copy_folder(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), &target).unwrap();
        }
    }
}

/// Whether two states of a folder hold the same files; names those that differ. The lock's holder doesn't count.
#[track_caller]
pub fn assert_same_files(before: &BTreeMap<PathBuf, Vec<u8>>, after: &BTreeMap<PathBuf, Vec<u8>>, what: &str) {
    let counts = |f: &&PathBuf| !f.ends_with("lock");
    let differ: Vec<&PathBuf> = before.keys().chain(after.keys()).filter(counts).filter(|f| before.get(*f) != after.get(*f)).collect();
    assert!(differ.is_empty(), "{what}: {differ:?}");
}

/// The program: the one built beside the tests, or another build of it that `YSOMORPH_TEST_PROGRAM` names.
pub fn program() -> PathBuf {
    std::env::var_os("YSOMORPH_TEST_PROGRAM").map_or_else(|| PathBuf::from(env!("CARGO_BIN_EXE_ysomorph")), PathBuf::from)
}

impl Project {
    /// A folder with nothing in it.
    pub fn folder() -> Project {
        Project { dir: tempfile::tempdir().unwrap(), database: "my.db" }
    }

    /// A folder with a database made by this SQL, not started yet.
    pub fn empty(sql: &str) -> Project {
        let project = Project::folder();
        project.sql(sql);
        project
    }

    /// The demo's workspace on a database of its own, or on a server's; the database hasn't changed yet.
    pub fn demo(on: Option<&Place>) -> Project {
        let project = Project { database: "threecombs.db", ..Project::folder() };
        let url = on.map(Place::url);
        let mut arguments = vec!["demo", ".", "--only-files"];
        arguments.extend(url.as_deref().map(|url| ["--on", url]).into_iter().flatten());
        project.expect(0, &arguments);
        project
    }

    /// Does to the demo's database what its owner did.
    pub fn change_demo(&self, on: Option<&Place>) {
        match on {
            Some(place) if place.server == Server::Postgresql => place.sql(include_str!("../../demo/postgresql/after.sql")),
            Some(place) => place.sql(include_str!("../../demo/mariadb/after.sql")),
            None => self.sql(include_str!("../../demo/sqlite/after.sql")),
        }
    }

    /// Runs version control in the folder.
    #[track_caller]
    pub fn git(&self, arguments: &[&str]) -> Ran {
        let output = Command::new("git")
            .args([
                "-c",
                "user.name=Mara Lind",
                "-c",
                "user.email=mara@example.org",
                "-c",
                "core.autocrlf=false",
                "-c",
                "commit.gpgsign=false",
            ])
            .args(arguments)
            .current_dir(self.dir.path())
            .env("GIT_CONFIG_GLOBAL", "/dev/null")
            .env("GIT_CONFIG_NOSYSTEM", "1")
            .output()
            .unwrap();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        Ran { code: output.status.code().unwrap_or(-1), out: text(&output.stdout), err: text(&output.stderr) }
    }

    /// Runs version control and expects it to work.
    #[track_caller]
    pub fn git_ok(&self, arguments: &[&str]) -> String {
        let ran = self.git(arguments);
        assert_eq!(ran.code, 0, "git {arguments:?}\n{}{}", ran.out, ran.err);
        ran.out
    }

    /// A started workspace.
    pub fn new(sql: &str) -> Project {
        let project = Project::empty(sql);
        let ran = project.run(&["start", "--from", &format!("sqlite:{}", project.path("my.db").display())]);
        assert_eq!(ran.code, 0, "{}{}", ran.out, ran.err);
        project
    }

    pub fn path(&self, file: &str) -> PathBuf {
        self.dir.path().join(file)
    }

    /// The file of its database.
    pub fn database(&self) -> PathBuf {
        self.path(self.database)
    }

    pub fn sql(&self, sql: &str) {
        let connection = Connection::open(self.database()).unwrap();
        connection.pragma_update(None, "foreign_keys", false).unwrap();
        connection.execute_batch(sql).unwrap_or_else(|e| panic!("{e}\n{sql}"));
    }

    /// Runs the built program in the folder.
    pub fn run(&self, arguments: &[&str]) -> Ran {
        let output = Command::new(program()).arg("-C").arg(self.dir.path()).args(arguments).env_remove("NO_COLOR").output().unwrap();
        let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).unwrap();
        Ran { code: output.status.code().unwrap_or(-1), out: text(&output.stdout), err: text(&output.stderr) }
    }

    /// Runs it and expects it to end by itself within a minute: for what must never hang.
    #[track_caller]
    pub fn run_bounded(&self, arguments: &[&str]) -> Ran {
        let mut command = Command::new(program());
        command.arg("-C").arg(self.dir.path()).args(arguments).env_remove("NO_COLOR").stdin(Stdio::null());
        let (out, err) = (tempfile::tempfile().unwrap(), tempfile::tempfile().unwrap());
        let mut child = command.stdout(out.try_clone().unwrap()).stderr(err.try_clone().unwrap()).spawn().unwrap();
        for _ in 0..6_000 {
            if let Some(status) = child.try_wait().unwrap() {
                let text = |mut file: std::fs::File| {
                    let mut bytes = Vec::new();
                    file.rewind().unwrap();
                    file.read_to_end(&mut bytes).unwrap();
                    String::from_utf8(bytes).unwrap()
                };
                return Ran { code: status.code().unwrap_or(-1), out: text(out), err: text(err) };
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        child.kill().unwrap();
        panic!("{arguments:?} hangs");
    }

    /// Runs it and expects this status; gives what it printed.
    #[track_caller]
    pub fn expect(&self, code: i32, arguments: &[&str]) -> String {
        let ran = self.run(arguments);
        assert_eq!(ran.code, code, "{arguments:?}\n{}{}", ran.out, ran.err);
        ran.out + &ran.err
    }

    pub fn read(&self, file: &str) -> String {
        std::fs::read_to_string(self.path(file)).unwrap_or_else(|e| panic!("{file}: {e}"))
    }

    pub fn write(&self, file: &str, text: &str) {
        std::fs::write(self.path(file), text).unwrap();
    }

    /// Adds to a file by hand.
    pub fn append(&self, file: &str, text: &str) {
        self.write(file, &(self.read(file) + text));
    }

    /// Edits a file by hand.
    #[track_caller]
    pub fn edit(&self, file: &str, from: &str, to: &str) {
        let text = self.read(file);
        assert!(text.contains(from), "{file} has no {from:?}:\n{text}");
        self.write(file, &text.replacen(from, to, 1));
    }

    /// The name of the latest entry.
    pub fn latest_entry(&self) -> String {
        ysomorph_workspace::merges::read_all(self.dir.path()).unwrap().last().unwrap().id.clone()
    }

    /// The definition's files.
    pub fn definition(&self) -> BTreeMap<PathBuf, Vec<u8>> {
        files_below(&self.path("app"))
    }

    /// Merges with answers, safe ones for the rest, and expects it to be done.
    #[track_caller]
    pub fn merge(&self, answers: &[(&str, &str)]) {
        for (question, choice) in answers {
            self.expect(0, &["decide", question, choice]);
        }
        self.expect(0, &["merge", "--write", "--safe"]);
        // Merging again changes nothing.
        let before = files_below(self.dir.path());
        self.expect(0, &["merge", "--write", "--safe"]);
        assert_same_files(&before, &files_below(self.dir.path()), "a second merge changed something");
    }

    #[track_caller]
    pub fn same_definition(&self, before: &BTreeMap<PathBuf, Vec<u8>>) {
        let now = self.definition();
        for file in before.keys().chain(now.keys()) {
            let text = |files: &BTreeMap<PathBuf, Vec<u8>>| files.get(file).map(|b| String::from_utf8_lossy(b).into_owned());
            if text(before) != text(&now) {
                let (old, new) = (text(before).unwrap_or_default(), text(&now).unwrap_or_default());
                panic!("{} differs:\n{}", file.display(), similar_diff(&old, &new));
            }
        }
    }
}

/// Whether a file under docs/ says what the program says; writes it with YSOMORPH_UPDATE.
#[track_caller]
pub fn published(file: &str, text: &str) {
    let path = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs")).join(file);
    if std::env::var_os("YSOMORPH_UPDATE").is_some() {
        std::fs::write(&path, text).unwrap();
    }
    let known = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(known == text, "run the tests with YSOMORPH_UPDATE=1 to publish docs/{file} anew");
}

/// Lines that differ, for messages.
pub fn similar_diff(old: &str, new: &str) -> String {
    let (a, b): (Vec<&str>, Vec<&str>) = (old.lines().collect(), new.lines().collect());
    let only = |from: &[&str], other: &[&str], mark: &str| {
        from.iter().filter(|l| !other.contains(l)).map(|l| format!("{mark}{l}\n")).collect::<String>()
    };
    let lines = only(&a, &b, "-") + &only(&b, &a, "+");
    // The same lines in another order, or other line ends.
    let first = || old.char_indices().zip(new.chars()).find(|((_, a), b)| a != b).map_or(old.len().min(new.len()), |((at, _), _)| at);
    if lines.is_empty() {
        format!(
            "…{:?}\n…{:?}",
            old.get(first()..).map(|t| t.chars().take(120).collect::<String>()),
            new.get(first()..).map(|t| t.chars().take(120).collect::<String>())
        )
    } else {
        lines
    }
}
