//! One file a command: its arguments, and a run of one call and one report.

mod accept;
mod capture;
mod changes;
mod check;
mod custom;
mod decide;
mod demo;
mod explain;
mod history;
mod impact;
mod merge;
mod rehearse;
mod shared;
mod show;
mod start;
mod undo;

use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::{Parser, Subcommand};

/// What to do.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Make a demo workspace and walk through a changed database
    Demo(demo::Arguments),
    /// Read a database, keep its schema and draft the definition
    Start(start::Arguments),
    /// What changed in the database
    Changes(changes::Arguments),
    /// Keep the schema of a source as a snapshot
    Capture(capture::Arguments),
    /// What breaks, and why
    Impact(impact::Arguments),
    /// The open questions; or answer one
    Decide(decide::Arguments),
    /// What a merge would write; --write writes it
    Merge(merge::Arguments),
    /// Take the changed schema as accepted where a merge would do nothing else
    Accept,
    /// Put back what a merge changed
    Undo(undo::Arguments),
    /// Is the definition sound?
    Check,
    /// Every hand-made customisation, with what the draft says instead
    Custom(custom::Arguments),
    /// Prepare every statement of every page on the real database, changing nothing
    Rehearse(rehearse::Arguments),
    /// Draw a page with sample records, as a role sees it, with what is broken
    Show(show::Arguments),
    /// Merges done: when, which changes, which answers
    History(history::Arguments),
    /// A rule in full; all of them in a table
    Explain(explain::Arguments),
}

/// A command line, as people type it.
#[derive(Debug, Parser)]
struct Line {
    #[command(subcommand)]
    command: Command,
}

/// Runs a command line in a session.
fn run_line(words: &[&str], session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let line = Line::try_parse_from(std::iter::once("ysomorph").chain(words.iter().copied())).map_err(|e| CliError::new(e.to_string()))?;
    line.command.run(session, output)
}

impl Command {
    /// Runs it; the exit status comes back.
    pub fn run(self, session: &Session, output: &mut Output) -> Result<u8, CliError> {
        let tests_pages = matches!(self, Command::Rehearse(_) | Command::Impact(_) | Command::Check);
        if output.format == crate::output::Format::Junit && !tests_pages {
            return Err(CliError::new("JUnit is for results about pages: rehearse, impact and check").hint("use --format json"));
        }
        match self {
            Command::Demo(arguments) => demo::run(&arguments, session, output, run_line),
            Command::Start(arguments) => start::run(&arguments, session, output),
            Command::Changes(arguments) => changes::run(&arguments, session, output),
            Command::Capture(arguments) => capture::run(&arguments, session, output),
            Command::Impact(arguments) => impact::run(&arguments, session, output),
            Command::Decide(arguments) => decide::run(&arguments, session, output),
            Command::Merge(arguments) => merge::run(&arguments, session, output),
            Command::Accept => accept::run(session, output),
            Command::Undo(arguments) => undo::run(&arguments, session, output),
            Command::Check => check::run(session, output),
            Command::Custom(arguments) => custom::run(&arguments, session, output),
            Command::Rehearse(arguments) => rehearse::run(&arguments, session, output),
            Command::Show(arguments) => show::run(&arguments, session, output),
            Command::History(arguments) => history::run(&arguments, session, output),
            Command::Explain(arguments) => explain::run(&arguments, output),
        }
    }
}
