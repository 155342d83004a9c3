//! `ysomorph watch`

#![allow(clippy::print_stderr, reason = "notes go to standard error")]

use crate::clock::now;
use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::Args;
use std::collections::BTreeMap;
use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, SystemTime};
use ysomorph_sources::Source;
use ysomorph_workspace::{Config, OpenError, configuration};

#[derive(Debug, Args)]
pub struct Arguments {
    /// What to run again: impact without anything
    #[arg(value_name = "COMMAND", trailing_var_arg = true, allow_hyphen_values = true)]
    command: Vec<String>,
    /// Seconds between two looks
    #[arg(long, value_name = "SECONDS", default_value_t = 2, value_parser = clap::value_parser!(u64).range(1..=3600))]
    every: u64,
    /// A program to run when the command finds something, with what it printed on standard input
    #[arg(long, value_name = "PROGRAM")]
    on_break: Option<PathBuf>,
    /// End after so many runs of the command
    #[arg(long, value_name = "N")]
    runs: Option<u64>,
}

/// How a command line is run.
pub type Run = fn(&[&str], &Session, &mut Output) -> Result<u8, CliError>;

/// What was there at the last look.
#[derive(Debug, PartialEq, Eq)]
struct Seen {
    files: BTreeMap<PathBuf, (Option<SystemTime>, u64)>,
    /// The database's schema where it is no file.
    schema: Option<String>,
}

impl Arguments {
    /// The command line that is run again.
    pub fn words(&self) -> Vec<&str> {
        match self.command.as_slice() {
            [] => vec!["impact"],
            words => words.iter().map(String::as_str).collect(),
        }
    }
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output, run: Run) -> Result<u8, CliError> {
    let words = arguments.words();
    if words.first() == Some(&"watch") {
        return Err(CliError::new("watch can't watch itself").hint("name another command, such as impact or check"));
    }
    let (mut last, mut runs) = (None, 0);
    loop {
        let seen = look(session)?;
        if last.as_ref() != Some(&seen) {
            last = Some(seen);
            let status = again(&words, arguments, session, output, run);
            runs += 1;
            if arguments.runs.is_some_and(|most| runs >= most) {
                return Ok(status);
            }
        }
        std::thread::sleep(Duration::from_secs(arguments.every));
    }
}

/// What tells whether anything changed since the last look; nothing where the workspace can't be looked at.
pub fn stamp(session: &Session) -> Option<String> {
    look(session).ok().map(|seen| format!("{seen:?}"))
}

/// Runs the command once more.
fn again(words: &[&str], arguments: &Arguments, session: &Session, output: &mut Output, run: Run) -> u8 {
    if std::io::stdout().is_terminal() {
        output.push("\x1b[2J\x1b[H");
    }
    output.push(&format!("{} ysomorph {}\n", now(), words.join(" ")));
    let status = run(words, session, output).unwrap_or_else(|error| {
        // The next change may mend it.
        output.error(&error);
        2
    });
    let text = output.take();
    output.push(&text);
    output.flush();
    if let (Some(program), true) = (&arguments.on_break, status != 0)
        && let Err(error) = told(program, &text)
    {
        eprintln!("note: `{}` can't be run: {error}", program.display());
    }
    status
}

/// Runs a program with what was found on its standard input.
fn told(program: &Path, text: &str) -> std::io::Result<()> {
    use std::io::Write;
    let mut child = Command::new(program).stdin(std::process::Stdio::piped()).spawn()?;
    if let Some(mut input) = child.stdin.take() {
        // Who doesn't want to read it needn't.
        let _ = input.write_all(anstream::adapter::strip_str(text).to_string().as_bytes());
    }
    child.wait().map(drop)
}

/// What there is now: the files' sizes and times, and the schema of a database that is no file.
fn look(session: &Session) -> Result<Seen, CliError> {
    let root = &session.folder;
    let (_, config) = configuration(root)?.ok_or_else(|| OpenError::NotAWorkspace(root.clone()))?;
    let mut files = BTreeMap::new();
    for file in ["ysomorph.toml", "decisions.toml", ".ysomorph/accepted.json"] {
        note(&root.join(file), &mut files);
    }
    for entry in std::fs::read_dir(root.join("app")).into_iter().flatten().flatten() {
        note(&entry.path(), &mut files);
    }
    let schema = database(session, &config, &mut files)?;
    Ok(Seen { files, schema })
}

fn database(
    session: &Session,
    config: &Config,
    files: &mut BTreeMap<PathBuf, (Option<SystemTime>, u64)>,
) -> Result<Option<String>, CliError> {
    let source = session.changed_source(config)?;
    let path = match &source {
        Source::Sqlite(path) | Source::Snapshot(path) => path,
        // One question, whatever the size.
        Source::Server(_) => return Ok(Some(ysomorph_workspace::digest(&Session::read(&source, &config.database)?.to_snapshot()))),
    };
    note(path, files);
    let mut log = path.clone().into_os_string();
    log.push("-wal");
    note(Path::new(&log), files);
    Ok(None)
}

fn note(path: &Path, files: &mut BTreeMap<PathBuf, (Option<SystemTime>, u64)>) {
    if let Ok(there) = std::fs::metadata(path) {
        files.insert(path.to_owned(), (there.modified().ok(), there.len()));
    }
}
