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
mod show;
mod start;
mod undo;

use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::Subcommand;
use std::path::Path;
use std::sync::OnceLock;
use ysomorph_core::name::{matches_any, nearest, shown};
use ysomorph_report::OpenFollowUp;
use ysomorph_workspace::FollowUp;

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

impl Command {
    /// Runs it; the exit status comes back.
    pub fn run(self, session: &Session, output: &mut Output) -> Result<u8, CliError> {
        let tests_pages = matches!(self, Command::Rehearse(_) | Command::Impact(_) | Command::Check);
        if output.format == crate::output::Format::Junit && !tests_pages {
            return Err(CliError::new("JUnit is for results about pages: rehearse, impact and check").hint("use --format json"));
        }
        match self {
            Command::Demo(arguments) => demo::run(&arguments, session, output),
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

/// Refuses a pattern that fits none of the names there are, with the nearest.
fn known_names(one: &str, many: &str, patterns: &[String], names: &[String]) -> Result<(), CliError> {
    for pattern in patterns {
        if !names.iter().any(|name| matches_any(std::slice::from_ref(pattern), name)) {
            let error = CliError::new(format!("there is no {one} `{}`", shown(pattern)));
            return Err(match nearest(pattern, names.iter().map(String::as_str)) {
                Some(near) => error.hint(format!("did you mean `{}`?", shown(near))),
                None if names.is_empty() => error.hint(format!("the definition has no {many}")),
                None if names.len() <= 40 => {
                    error.hint(format!("the {many} are {}", names.iter().map(|n| shown(n)).collect::<Vec<_>>().join(", ")))
                }
                None => error.hint(format!("name one of its {} {many}, or a pattern such as *", names.len())),
            });
        }
    }
    Ok(())
}

/// Who works here: as version control knows them in this folder, else as the system does. Asked once a run.
fn who(folder: &Path) -> Option<String> {
    static WHO: OnceLock<Option<String>> = OnceLock::new();
    WHO.get_or_init(|| ask_who(folder)).clone()
}

fn ask_who(folder: &Path) -> Option<String> {
    let variable = |name: &str| std::env::var(name).ok();
    let configured = || {
        let mut git = std::process::Command::new("git");
        let ran = git.args(["config", "--get", "user.name"]).current_dir(folder).stderr(std::process::Stdio::null()).output().ok()?;
        ran.status.success().then(|| String::from_utf8_lossy(&ran.stdout).trim().to_owned())
    };
    let not_empty = |who: &String| !who.is_empty();
    let version_control = variable("GIT_AUTHOR_NAME").filter(not_empty).or_else(configured).filter(not_empty);
    version_control.or_else(|| ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| variable(name).filter(not_empty)))
}

/// A follow-up of an earlier merge, for a report.
fn open_follow_up(left: &FollowUp) -> OpenFollowUp {
    OpenFollowUp {
        name: left.name.clone(),
        rule: left.rule.clone(),
        severity: left.severity,
        file: left.file.clone(),
        entity: left.entity.clone(),
        message: left.message.clone(),
        places: left.places,
    }
}

/// The moment, for entries and answers.
fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// Prints a report in the wanted format.
fn print(output: &mut Output, report: &ysomorph_report::Report, text: impl Fn(&ysomorph_report::Report) -> String) {
    let written = match output.format {
        crate::output::Format::Text => text(report),
        crate::output::Format::Json => ysomorph_report::to_json(report),
        crate::output::Format::Junit => ysomorph_report::to_junit(report),
    };
    output.push(&written);
}
