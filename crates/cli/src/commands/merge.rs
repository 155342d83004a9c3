//! `ysomorph merge`

use super::{now, print};
use crate::error::{CliError, MOST_SHOWN, more};
use crate::output::Output;
use crate::session::{Session, report};
use clap::Args;
use std::mem::ManuallyDrop;
use ysomorph_core::definition::validate;
use ysomorph_core::merge::safe_answers;
use ysomorph_core::schema::Schema;
use ysomorph_report::{FileDiff, PartReport, text};
use ysomorph_workspace::{Planned, Workspace};

#[derive(Debug, Args)]
pub struct Arguments {
    /// Write what the preview shows, in one transaction
    #[arg(long)]
    write: bool,
    /// Take the safe choice wherever a question is open
    #[arg(long)]
    safe: bool,
    /// Keep what the data of each column looks like with the accepted schema: counts, and hashes made with
    /// a key of the workspace's own, no values
    #[arg(long)]
    data: bool,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    // The process ends with the command: taking a large definition apart again would only take time.
    let workspace = ManuallyDrop::new(session.open()?);
    refuse_unsound(&workspace)?;
    let source = session.changed_source(&workspace)?;
    let mut changed = Session::read(&source, &workspace.config.database)?;
    let mut new_key = None;
    if arguments.data {
        let (key, is_new) = Session::data_key(Some(&workspace))?;
        Session::measure(&source, &mut changed, &|_, _| true, &key)?;
        new_key = is_new.then(|| key.text());
    }
    let given = workspace.answer_map();
    let answers = if arguments.safe { safe_answers(&workspace.merge_input(&changed, &given)) } else { given };
    let planned = ManuallyDrop::new(workspace.plan(&changed, &answers)?);
    let open = planned.outcome.open_questions().count();
    let write = arguments.write && open == 0 && !planned.files.is_empty();
    if write {
        refuse_changed_meanwhile(session, &workspace, &changed)?;
        if let Some(key) = new_key {
            workspace.keep_data_key(&key)?;
        }
        workspace.write(&planned, &answers, &now())?;
    }
    let mut report = merge_report("merge", session, &workspace, &changed, &planned, write);
    report.verbose = session.verbose;
    print(output, &report, text::merge);
    let later_only = planned.outcome.open_questions().next().is_none() && !planned.is_worth_writing();
    Ok(match (arguments.write, later_only) {
        (true, _) => u8::from(open > 0),
        (false, true) => 0,
        (false, false) => 1,
    })
}

/// A definition with unknown keys or names can't be merged: something would be guessed.
pub(super) fn refuse_unsound(workspace: &Workspace) -> Result<(), CliError> {
    let mut problems = validate(&workspace.tree, workspace.accepted());
    // SQL that was kept to be mended by hand is known: it hinders no other merge.
    let is_left = |file: &str| workspace.open_follow_ups().any(|f| f.rule == "page/source-broken" && f.file.as_deref() == Some(file));
    problems.retain(|p| !(p.path.contains("/source/") && is_left(&p.file.path())));
    if problems.is_empty() {
        return Ok(());
    }
    let mut details = String::new();
    for problem in problems.iter().take(MOST_SHOWN) {
        let file = problem.file.path();
        let near = problem.nearest.as_ref().map(|n| format!("; did you mean `{n}`?")).unwrap_or_default();
        details.push_str(&format!("{file}:{}:{}: {}{near}\n", problem.at.line, problem.at.column, problem.message));
        let length = problem.culprit.chars().count();
        details.push_str(
            &workspace
                .texts
                .get(&problem.file)
                .and_then(|t| text::quote(t, problem.at.line, problem.at.column, length))
                .unwrap_or_default(),
        );
    }
    details.push_str(&more(problems.len()));
    let count = text::plural(problems.len(), "problem", "problems");
    Err(CliError::new(format!("the definition has {count}; nothing was merged"))
        .details(details)
        .hint("correct them; `ysomorph check` shows whether it is sound"))
}

/// Nothing is written where the database isn't any more what was looked at.
pub(super) fn refuse_changed_meanwhile(session: &Session, workspace: &Workspace, changed: &Schema) -> Result<(), CliError> {
    let mut again = session.changed(workspace)?;
    again.fingerprints.clone_from(&changed.fingerprints);
    if again != *changed {
        return Err(CliError::new("the database changed while the merge was made; nothing was written")
            .hint("look again with `ysomorph changes`, then merge"));
    }
    Ok(())
}

/// The report of a merge, of which `accept` is one without edits.
pub(super) fn merge_report(
    command: &str,
    session: &Session,
    workspace: &Workspace,
    changed: &Schema,
    planned: &Planned,
    written: bool,
) -> ysomorph_report::Report {
    let mut report = report(command, session, workspace, changed, &planned.outcome).with_merge(&planned.outcome, &planned.left, written);
    let gave_way = workspace.superseded().map(|(path, text)| PartReport {
        path,
        value: Some(text.into()),
        because: format!("{text} won't come back"),
    });
    report.superseded = gave_way.collect();
    report.diffs = planned.shown_files().map(|(path, before, after)| FileDiff { path, before, after }).collect();
    // Follow-ups stand in the files as the merge leaves them.
    let texts = report.diffs.iter().filter_map(|diff| Some((diff.path.clone(), diff.after.clone()?)));
    report.texts.extend(texts);
    report
}
