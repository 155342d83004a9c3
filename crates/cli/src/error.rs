//! Problems in the maintainer's words: what was tried, what came back, what to do.

use std::fmt;
use ysomorph_core::name::shown;
use ysomorph_report::text::quote;
use ysomorph_sources::{SourceError, Trouble};
use ysomorph_workspace::{FileError, LockError, OpenError, StartError, TransactionError, UndoError, WriteError};

/// A problem that ends a command with status 2.
#[derive(Debug)]
pub struct CliError {
    message: String,
    details: String,
    hint: Option<String>,
}

impl CliError {
    pub fn new(message: impl Into<String>) -> CliError {
        CliError { message: message.into(), details: String::new(), hint: None }
    }

    /// What is the matter, in one line.
    pub fn message(&self) -> &str {
        &self.message
    }

    /// One thing that can be done now.
    #[must_use]
    pub fn hint(mut self, hint: impl Into<String>) -> CliError {
        self.hint = Some(hint.into());
        self
    }

    #[must_use]
    pub fn details(mut self, details: impl Into<String>) -> CliError {
        self.details = details.into();
        self
    }

    /// A server's trouble, and what to do about it.
    fn server(error: &ysomorph_sources::ServerError) -> CliError {
        let hint = match &error.trouble {
            Trouble::Refused => "start the server, or correct host and port".to_owned(),
            Trouble::Hangs => "see whether a database server listens there; connect_timeout=SECONDS in the url waits longer".to_owned(),
            Trouble::Login => "correct the user, or give the password: in the url by ${NAME}, by PGPASSWORD or MYSQL_PWD, or in the engine's password file".to_owned(),
            Trouble::NoDatabase => "correct the database's name in the url".to_owned(),
            Trouble::NoSchema(there) if there.is_empty() => "correct `schemas` in ysomorph.toml, or --schemas".to_owned(),
            Trouble::NoSchema(there) => format!("it has {}; correct `schemas` in ysomorph.toml, or --schemas", there.join(", ")),
            Trouble::Denied => "have the right granted to this user, or use another one".to_owned(),
            Trouble::Locked => "somebody is changing the database: try again when they are done".to_owned(),
            Trouble::Lost => "try again; the server's log says why it closed the connection".to_owned(),
            Trouble::Tls => "sslrootcert=FILE in the url names the server's authority; sslmode=prefer doesn't check who answers".to_owned(),
            Trouble::TooSlow => "try again when the server is less busy; read_timeout=SECONDS in the url waits longer".to_owned(),
            Trouble::Other => "see whether the server's version is one this program reads".to_owned(),
        };
        CliError::new(error.to_string()).hint(hint)
    }

    /// Files that can't be read, each quoted at its place.
    pub fn files(errors: &[FileError]) -> CliError {
        let mut details = String::new();
        for error in errors.iter().take(MOST_SHOWN) {
            let place = error.at.map_or_else(String::new, |at| format!(":{}:{}", at.line, at.column));
            details.push_str(&format!("{}{place}: {}\n", shown(&error.file), shown(&error.message)));
            if let Some(quoted) = error.at.and_then(|at| quote(&error.text, at.line, at.column, 1)) {
                details.push_str(&quoted);
            }
        }
        details.push_str(&more(errors.len()));
        let count = match errors.len() {
            1 => "1 error".to_owned(),
            n => format!("{n} errors"),
        };
        CliError::new(format!("{count} in the workspace's files; nothing was done"))
            .details(details)
            .hint("correct the places above and run the command again")
    }
}

/// Most problems shown at once: who has so many fixes the first ones first.
pub const MOST_SHOWN: usize = 100;

/// Says how many problems weren't shown.
pub fn more(all: usize) -> String {
    if all > MOST_SHOWN { format!("… and {} more\n", all - MOST_SHOWN) } else { String::new() }
}

impl fmt::Display for CliError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(f, "error: {}", shown(&self.message))?;
        f.write_str(&self.details)?;
        match &self.hint {
            Some(hint) => writeln!(f, "help: {}", shown(hint)),
            None => Ok(()),
        }
    }
}

impl From<SourceError> for CliError {
    fn from(error: SourceError) -> CliError {
        let hint = match &error {
            SourceError::Unknown(_) => "name it as sqlite:FILE, postgres://USER@HOST/DATABASE, mysql://USER@HOST/DATABASE or snapshot:FILE",
            SourceError::Url { .. } => "write it as postgres://USER@HOST:PORT/DATABASE",
            SourceError::Server(error) => return CliError::server(error),
            SourceError::Environment(_) => "set the variable, or write the url without it",
            SourceError::Open { reason, .. } if reason.contains("not a database") => "name an SQLite 3 database file",
            SourceError::Open { .. } => {
                "check the path: in ysomorph.toml it starts at that folder, in an option (--from, --changed) where you are"
            }
            SourceError::Read { .. } => "try again when no other program is changing the database",
            SourceError::Snapshot { .. } => "take the snapshot anew",
        };
        CliError::new(error.to_string()).hint(hint)
    }
}

impl From<FileError> for CliError {
    fn from(error: FileError) -> CliError {
        CliError::files(&[error])
    }
}

impl From<OpenError> for CliError {
    fn from(error: OpenError) -> CliError {
        match &error {
            OpenError::NotAWorkspace(_) => {
                CliError::new(error.to_string()).hint("make one with `ysomorph start --from sqlite:FILE`, or name its folder with -C")
            }
            OpenError::Files(files) => CliError::files(files),
            OpenError::Format(_) => CliError::new(error.to_string()).hint("use a newer ysomorph"),
            OpenError::Recovery(LockError::Held(_)) => CliError::new(error.to_string()).hint("try again when it is done"),
            OpenError::Recovery(LockError::Folder(TransactionError::Refused(refused))) => {
                CliError::new(refused.to_string()).hint("this workspace was made or changed by something else than ysomorph: see what put it there")
            }
            OpenError::Recovery(_) => CliError::new(error.to_string()).hint(
                "fix what is said and run any command: the write is completed first. To give the write up, take .ysomorph/pending away and restore the files from version control",
            ),
        }
    }
}

impl From<TransactionError> for CliError {
    fn from(error: TransactionError) -> CliError {
        let hint = match &error {
            TransactionError::ChangedMeanwhile(_) => "nothing was written: look again, then repeat the command",
            TransactionError::Refused(_) => "nothing was written: only plain files in the workspace's own real folders are",
            TransactionError::ReadOnly(_) => "nothing was written: make the file writable, if it may change",
            TransactionError::Owner { .. } => "nothing was written: run this as the file's owner, or make the file yours",
            TransactionError::Io { .. } => "nothing was written: make the folder writable; nothing that was there is lost",
            TransactionError::Broken { .. } => {
                "nothing was written: take .ysomorph/pending away and restore the files from version control"
            }
            TransactionError::Midway(_) => "make the folder writable and run any command: the write is completed first",
        };
        CliError::new(error.to_string()).hint(hint)
    }
}

impl From<WriteError> for CliError {
    fn from(error: WriteError) -> CliError {
        match error {
            WriteError::Transaction(error) => error.into(),
            WriteError::Lock(LockError::Folder(error)) => error.into(),
            WriteError::Lock(error) => CliError::new(error.to_string()).hint("wait for it to finish, or make the folder writable"),
            WriteError::File(file) => CliError::files(&[file]),
            WriteError::Reconcile(error) => CliError::new(format!("nothing was written: {error}"))
                .hint("this is a defect of ysomorph: please report it with the file concerned"),
        }
    }
}

impl From<StartError> for CliError {
    fn from(error: StartError) -> CliError {
        match error {
            StartError::Exists(what) => CliError::new(format!("`{what}` is already there; nothing was overwritten"))
                .hint("use `ysomorph changes` in this workspace, or start in an empty folder; where only ysomorph.toml is there, `ysomorph start` without --from drafts by it"),
            StartError::Config(file) => CliError::files(&[file]),
            StartError::Write(error) => error.into(),
        }
    }
}

impl From<UndoError> for CliError {
    fn from(error: UndoError) -> CliError {
        let message = error.to_string();
        match error {
            UndoError::Nothing => CliError::new(message).hint("merges that were written are listed under .ysomorph/merges/"),
            UndoError::Unknown(_) | UndoError::Ambiguous(..) => CliError::new(message).hint("`ysomorph history` lists them"),
            UndoError::TakenBack(_) => CliError::new(message).hint("`ysomorph history` shows which entries are in force"),
            UndoError::ChangedSince(files) => {
                CliError::new(format!("nothing was undone: these files aren't what the merge left: {}", files.join(", ")))
                    .hint("put your later edits aside (version control helps), undo, and make them again")
            }
            UndoError::Write(error) => error.into(),
        }
    }
}
