//! `ysomorph decide`

mod answers;
mod dialogue;
mod merged;

use super::shared::{open_follow_up, print};
use crate::error::CliError;
use crate::interrupt::writing;
use crate::output::Output;
use crate::session::{Opening, Session, report};
use answers::Given;
pub use answers::answer;
use clap::Args;
use merged::merged;
use std::io::IsTerminal;
use std::mem::ManuallyDrop;
use std::path::PathBuf;
use ysomorph_core::impact::check;
use ysomorph_core::merge::Outcome;
use ysomorph_core::name::{fitting, nearest, shown};
use ysomorph_report::text;
use ysomorph_workspace::{FollowUps, Workspace};

#[derive(Debug, Args)]
pub struct Arguments {
    /// The question to answer, or with a pattern such as 'new-field/*' every open one like it; done/NAME closes a follow-up
    question: Option<String>,
    /// The choice to take
    choice: Option<String>,
    /// Why, kept with the answer
    #[arg(long, value_name = "TEXT", requires = "question")]
    reason: Option<String>,
    /// Only list the questions, also on a terminal
    #[arg(long)]
    list: bool,
    /// Take the answers of a file written like decisions.toml, all or none
    #[arg(long, value_name = "ANSWERS", conflicts_with = "question")]
    file: Option<PathBuf>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    if let Some(name) = arguments.question.as_ref().and_then(|q| q.strip_prefix("done/")) {
        return close(&session.open()?, name, output);
    }
    let (workspace, _, changed) = session.open_for_change(Opening::Merge)?;
    // The process ends with the command: taking a large definition apart again would only take time.
    let mut workspace = ManuallyDrop::new(workspace);
    let known = workspace.answer_map();
    let outcome = merged(&mut workspace, &changed, &known)?;
    let given = match (&arguments.file, &arguments.question, &arguments.choice) {
        (Some(file), ..) => answers::read(file)?,
        (None, Some(question), Some(choice)) => {
            vec![Given { question: question.clone(), choice: choice.clone(), who: None, reason: arguments.reason.clone() }]
        }
        (None, Some(name), None) => return Err(without_choice(&outcome, name)),
        (None, None, _) => Vec::new(),
    };
    if !given.is_empty() || arguments.file.is_some() {
        let answers = answers::matched(&mut workspace, &changed, outcome, &given)?;
        writing(|| workspace.decide(&answers))?;
        for answer in &answers {
            output.push(&format!("Taken: {} is answered {}.\n", shown(&answer.question), shown(&answer.choice)));
        }
        return Ok(0);
    }
    let open = outcome.open_questions().count();
    let terminal = output.format.is_text() && std::io::stdin().is_terminal() && std::io::stdout().is_terminal();
    if open > 0 && terminal && !arguments.list {
        return dialogue::run(&mut workspace, &changed, output);
    }
    let mut report = report("decide", session, &workspace, &changed, &outcome);
    report.open_follow_ups = follow_ups(&workspace)?.still_open().map(open_follow_up).collect();
    print(output, &report, text::questions)?;
    Ok(u8::from(open > 0))
}

/// A question needs a choice: says which.
fn without_choice(outcome: &Outcome, name: &str) -> CliError {
    let asked = outcome.questions.iter().find(|q| q.name == name);
    let choices = asked.map_or_else(String::new, |q| format!(": {}", q.choices.join(", ")));
    CliError::new(format!("`{name}` needs a choice{choices}")).hint("`ysomorph decide --list` shows what each would do")
}

/// What earlier merges left to people, as it is now.
fn follow_ups(workspace: &Workspace) -> Result<FollowUps, CliError> {
    let breaks = match workspace.remembered_follow_ups().next() {
        Some(_) => check(&workspace.tree, workspace.accepted()),
        None => Vec::new(),
    };
    workspace.follow_ups_now(&breaks).map_err(|e| CliError::files(&[e]))
}

/// Closes a follow-up, or with a pattern all open ones like it.
fn close(workspace: &Workspace, name: &str, output: &mut Output) -> Result<u8, CliError> {
    let follow_ups = follow_ups(workspace)?;
    let open: Vec<&str> = follow_ups.still_open().map(|f| f.name.as_str()).collect();
    let fits = fitting(name);
    let meant = |open: &&str| *open == name || name.contains('*') && fits(open);
    let closed: Vec<&str> = open.iter().copied().filter(meant).collect();
    if closed.is_empty() {
        let error = CliError::new(format!("there is no open follow-up `{name}`"));
        return Err(match nearest(name, open.iter().copied()) {
            Some(near) => error.hint(format!("did you mean `done/{near}`?")),
            None => error.hint("`ysomorph decide --list` shows them"),
        });
    }
    writing(|| workspace.close_follow_ups(&closed))?;
    for name in closed {
        output.push(&format!("Closed: {}.\n", shown(name)));
    }
    Ok(0)
}
