//! `ysomorph decide`

use super::{now, print};
use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::{Session, report};
use clap::Args;
use std::io::{BufRead, IsTerminal, Write};
use ysomorph_core::merge::{Outcome, Question, merge};
use ysomorph_core::name::{matches_any, nearest, shown};
use ysomorph_report::text;
use ysomorph_workspace::{Answer, Workspace};

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
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let changed = session.changed(&workspace)?;
    let answers = workspace.answer_map();
    let outcome = merge(&workspace.merge_input(&changed, &answers));
    if let Some(name) = arguments.question.as_ref().and_then(|q| q.strip_prefix("done/")) {
        return close(&workspace, name, output);
    }
    if let (Some(name), None) = (&arguments.question, &arguments.choice) {
        let choices =
            outcome.questions.iter().find(|q| q.name == *name).map_or_else(String::new, |q| format!(": {}", q.choices.join(", ")));
        return Err(CliError::new(format!("`{name}` needs a choice{choices}")).hint("`ysomorph decide --list` shows what each would do"));
    }
    if let (Some(name), Some(choice)) = (&arguments.question, &arguments.choice) {
        let questions = asked(&outcome, name, choice)?;
        take(&workspace, &questions, choice, arguments.reason.as_deref())?;
        for question in questions {
            output.push(&format!("Taken: {} is answered {}.\n", shown(&question.name), shown(choice)));
        }
        return Ok(0);
    }
    let dialogue = !arguments.list && output.format == Format::Text && std::io::stdin().is_terminal() && std::io::stdout().is_terminal();
    if dialogue && outcome.open_questions().next().is_some() {
        return ask(&workspace, session, output);
    }
    let mut report = report("decide", session, &workspace, &changed, &outcome);
    report.left = workspace.open_follow_ups().map(|f| (f.name.clone(), f.message.clone())).collect();
    print(output, &report, text::questions);
    Ok(u8::from(outcome.open_questions().next().is_some()))
}

/// Closes a follow-up.
fn close(workspace: &Workspace, name: &str, output: &mut Output) -> Result<u8, CliError> {
    let open: Vec<&str> = workspace.open_follow_ups().map(|f| f.name.as_str()).collect();
    if !open.contains(&name) {
        let error = CliError::new(format!("there is no open follow-up `{name}`"));
        return Err(match nearest(name, open.iter().copied()) {
            Some(near) => error.hint(format!("did you mean `done/{near}`?")),
            None => error.hint("`ysomorph decide --list` shows them"),
        });
    }
    workspace.close_follow_up(name)?;
    output.push(&format!("Closed: {}.\n", shown(name)));
    Ok(0)
}

/// The question of a name, or the open ones that a pattern fits: each has to have the choice, or none is answered.
fn asked<'a>(outcome: &'a Outcome, name: &str, choice: &str) -> Result<Vec<&'a Question>, CliError> {
    let mut found: Vec<&Question> = outcome.questions.iter().filter(|q| q.name == name).collect();
    if found.is_empty() && name.contains('*') {
        found.extend(outcome.open_questions().filter(|q| matches_any(std::slice::from_ref(&name.to_owned()), &q.name)));
    }
    if found.is_empty() {
        let error = CliError::new(format!("nothing asks `{name}`"));
        return Err(match nearest(name, outcome.questions.iter().map(|q| q.name.as_str())) {
            Some(near) => error.hint(format!("did you mean `{near}`?")),
            None => error.hint("`ysomorph decide --list` shows the questions"),
        });
    }
    match found.iter().find(|q| !q.choices.iter().any(|c| c == choice)) {
        None => Ok(found),
        Some(other) => Err(CliError::new(format!("`{choice}` is not a choice of `{}`", other.name))
            .hint(format!("choose one of: {}", other.choices.join(", ")))),
    }
}

fn take(workspace: &Workspace, questions: &[&Question], choice: &str, reason: Option<&str>) -> Result<(), CliError> {
    let who = ["USER", "LOGNAME", "USERNAME"].iter().find_map(|name| std::env::var(name).ok()).filter(|who| !who.is_empty());
    let answer = |question: &&Question| Answer {
        question: question.name.clone(),
        choice: choice.to_owned(),
        who: who.clone(),
        when: Some(now()),
        reason: reason.map(str::to_owned),
    };
    Ok(workspace.decide(&questions.iter().map(answer).collect::<Vec<_>>())?)
}

/// A dialogue: one question after the other, until none is open or the answer is empty.
fn ask(workspace: &Workspace, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let mut workspace = Workspace::open(&workspace.root)?;
    loop {
        let changed = session.changed(&workspace)?;
        let answers = workspace.answer_map();
        let outcome = merge(&workspace.merge_input(&changed, &answers));
        let Some(question) = outcome.open_questions().next() else {
            output.push("No open questions.\n");
            return Ok(0);
        };
        output.push(&text::question(question, true));
        output.push("Your choice (number or name; nothing to stop): ");
        output.flush();
        let _ = std::io::stdout().flush();
        let mut line = String::new();
        let read = std::io::stdin().lock().read_line(&mut line).unwrap_or(0);
        let line = line.trim();
        if read == 0 || line.is_empty() {
            return Ok(1);
        }
        let by_number = line.parse::<usize>().ok().and_then(|n| question.choices.get(n.wrapping_sub(1)));
        match by_number.or_else(|| question.choices.iter().find(|c| *c == line)) {
            Some(choice) => {
                take(&workspace, &[question], choice, None)?;
                workspace = Workspace::open(&workspace.root)?;
            }
            None => output.push(&format!("`{}` is none of them.\n", shown(line))),
        }
    }
}
