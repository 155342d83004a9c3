//! One file a command: its arguments, and a run of one call and one report.

mod accept;
mod access;
mod capture;
mod changes;
mod check;
mod completions;
mod custom;
mod decide;
mod demo;
mod examples;
mod explain;
mod history;
mod impact;
mod manual;
mod merge;
mod rehearse;
mod shared;
mod show;
mod start;
mod trial;
mod undo;
mod watch;

use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::Session;
use clap::{CommandFactory, Parser, Subcommand};

/// What to do.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Make a demo workspace and walk through a changed database
    Demo(demo::Arguments),
    /// Read a database, keep its schema and draft the definition
    #[command(after_help = examples::START)]
    Start(start::Arguments),
    /// What changed in the database
    #[command(after_help = examples::CHANGES)]
    Changes(changes::Arguments),
    /// Keep the schema of a source as a snapshot
    #[command(after_help = examples::CAPTURE)]
    Capture(capture::Arguments),
    /// What breaks, and why
    #[command(after_help = examples::IMPACT)]
    Impact(impact::Arguments),
    /// The open questions; or answer one
    #[command(after_help = examples::DECIDE)]
    Decide(decide::Arguments),
    /// What a merge would write; --write writes it
    #[command(after_help = examples::MERGE)]
    Merge(merge::Arguments),
    /// Take the changed schema as accepted where a merge would do nothing else
    Accept,
    /// Put back what a merge changed
    #[command(after_help = examples::UNDO)]
    Undo(undo::Arguments),
    /// Is the definition sound?
    Check,
    /// Every hand-made customisation, with what the draft says instead
    #[command(after_help = examples::CUSTOM)]
    Custom(custom::Arguments),
    /// Prepare every statement of every page on the real database, changing nothing
    #[command(after_help = examples::REHEARSE)]
    Rehearse(rehearse::Arguments),
    /// Draw a page with sample records, as a role sees it, with what is broken
    #[command(after_help = examples::SHOW)]
    Show(show::Arguments),
    /// Serve the application, now and after the merge, for this machine alone
    #[command(after_help = examples::TRY)]
    Try(trial::Arguments),
    /// Who may see and do what, now and after the merge
    #[command(after_help = examples::ACCESS)]
    Access(access::Arguments),
    /// Merges done: when, which changes, which answers
    #[command(after_help = examples::HISTORY)]
    History(history::Arguments),
    /// A rule in full; all of them in a table
    #[command(after_help = examples::EXPLAIN)]
    Explain(explain::Arguments),
    /// Run a command again whenever the database or a file changes
    #[command(after_help = examples::WATCH)]
    Watch(watch::Arguments),
    /// What a shell needs to complete commands and options
    #[command(after_help = examples::COMPLETIONS)]
    Completions(completions::Arguments),
    /// The manual, as man shows it
    #[command(after_help = examples::MANUAL)]
    Manual(manual::Arguments),
}

/// A command line, as people type it.
#[derive(Debug, Parser)]
struct Line {
    #[command(subcommand)]
    command: Command,
}

/// Runs a command line in a session.
fn run_line(words: &[&str], session: &Session, output: &mut Output) -> Result<u8, CliError> {
    read_line(words)?.command.run(&Line::command, session, output)
}

/// Reads a command line: what is wrong with it in a sentence, and how it is used.
fn read_line(words: &[&str]) -> Result<Line, CliError> {
    Line::try_parse_from(std::iter::once("ysomorph").chain(words.iter().copied())).map_err(|error| {
        let text = error.to_string();
        let (first, rest) = text.split_once('\n').unwrap_or((&text, ""));
        CliError::new(first.trim_start_matches("error: ").to_owned()).details(format!("{}\n", rest.trim()))
    })
}

impl Command {
    /// What its result can be written as.
    fn formats(&self) -> &'static [Format] {
        use Format::{Csv, Html, Json, Jsonl, Junit, Markdown, Sarif, Text, Xlsx};
        match self {
            Command::Impact(_) | Command::Check | Command::Rehearse(_) => &[Text, Json, Jsonl, Markdown, Html, Sarif, Junit, Csv, Xlsx],
            Command::Changes(_) | Command::Merge(_) => &[Text, Json, Jsonl, Markdown, Html, Csv, Xlsx],
            Command::Access(_) | Command::Custom(_) => &[Text, Json, Jsonl, Csv, Xlsx],
            Command::Decide(_) | Command::Show(_) => &[Text, Json, Jsonl],
            Command::Try(_) => &[Text],
            _ => &[Text, Json],
        }
    }

    /// Runs it; the exit status comes back.
    pub fn run(self, whole: &dyn Fn() -> clap::Command, session: &Session, output: &mut Output) -> Result<u8, CliError> {
        if !session.several.is_empty() && !matches!(self, Command::Impact(_)) {
            return Err(CliError::new("only impact looks at several databases").hint("give one --changed SOURCE"));
        }
        let formats = self.formats();
        if !formats.contains(&output.format) {
            let others: Vec<String> = formats.iter().map(|format| format.word()).collect();
            return Err(CliError::new(format!("this command has no {} result", output.format.word()))
                .hint(format!("it has: {}", others.join(", "))));
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
            Command::Try(arguments) => trial::run(&arguments, session, output),
            Command::Access(arguments) => access::run(&arguments, session, output),
            Command::History(arguments) => history::run(&arguments, session, output),
            Command::Explain(arguments) => explain::run(&arguments, output),
            Command::Watch(arguments) => {
                // A command line that can't be read will be no better after the next change.
                let hint = "options of watch itself stand before the command: watch --every 5 check";
                read_line(&arguments.words()).map_err(|error| error.hint(hint))?;
                watch::run(&arguments, session, output, run_line)
            }
            Command::Completions(arguments) => completions::run(&arguments, whole(), output),
            Command::Manual(arguments) => manual::run(&arguments, whole(), output),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::Line;
    use clap::{CommandFactory, Parser};

    #[test]
    fn every_example_of_the_help_is_a_command_line() {
        let mut count = 0;
        for command in Line::command().get_subcommands() {
            let help = command.get_after_help().map(ToString::to_string).unwrap_or_default();
            for line in help.lines().skip(1) {
                let line = line.trim().split(['|', '>', '&']).next().unwrap_or_default();
                let mut words = vec![String::new()];
                let mut quote = None;
                for c in line.trim().chars() {
                    match (c, quote) {
                        (c, Some(open)) if c == open => quote = None,
                        ('\'' | '"', None) => quote = Some(c),
                        (' ', None) => words.push(String::new()),
                        (c, _) => words.last_mut().into_iter().for_each(|word| word.push(c)),
                    }
                }
                // Global options belong to the program, not to the command.
                let at = words.iter().position(|w| ["--format", "--output", "--changed-list", "--changed"].contains(&w.as_str()));
                words.truncate(at.unwrap_or(words.len()));
                assert!(Line::try_parse_from(&words).is_ok(), "{line}");
                count += 1;
            }
        }
        assert!(count > 25, "{count}");
    }
}
