//! `ysomorph history`

use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::Session;
use clap::Args;
use std::collections::BTreeSet;
use ysomorph_report::{AnswerReport, EntryReport, FileDiff, PartReport, text};
use ysomorph_workspace::{HistoryEntry, merges};

#[derive(Debug, Args)]
pub struct Arguments {
    /// One entry in full
    entry: Option<String>,
    /// With what it did to the files, as a diff
    #[arg(long, requires = "entry")]
    diff: bool,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let entries = merges::read_all(&workspace.root).map_err(|e| CliError::files(&[e]))?;
    let active = merges::in_force(&entries);
    let wanted: Vec<&HistoryEntry> = match &arguments.entry {
        Some(name) => vec![ysomorph_workspace::named(&entries, name)?],
        None => entries.iter().collect(),
    };
    if output.format == Format::Json {
        output.push(&ysomorph_report::json(&wanted));
        return Ok(0);
    }
    let told: Vec<EntryReport> = wanted.iter().map(|entry| told(entry, &active)).collect();
    output.push(&match (&arguments.entry, told.first()) {
        (Some(_), Some(entry)) => text::history_entry(entry, arguments.diff),
        _ => text::history(&told),
    });
    Ok(0)
}

fn told(entry: &HistoryEntry, active: &BTreeSet<&str>) -> EntryReport {
    let parts = |parts: &[merges::Part]| {
        parts.iter().map(|p| PartReport { path: p.name.clone(), value: None, because: p.because.clone() }).collect()
    };
    let answers = entry.answers.iter().map(|(question, choice)| {
        let given = entry.used.iter().find(|a| a.question == *question);
        AnswerReport {
            question: question.clone(),
            choice: choice.clone(),
            who: given.and_then(|a| a.who.clone()),
            when: given.and_then(|a| a.when.clone()),
            reason: given.and_then(|a| a.reason.clone()),
        }
    });
    let files = entry.files.iter().map(|f| FileDiff { path: f.path.clone(), before: f.before.clone(), after: f.text_after() });
    let untold = entry.files.iter().filter(|f| f.after.is_some() && f.text_after().is_none());
    EntryReport {
        id: entry.id.clone(),
        when: entry.when.clone(),
        who: entry.who.clone(),
        taken_back: !active.contains(entry.id.as_str()),
        undoes: entry.undoes.clone(),
        changes: entry.changes.clone(),
        answers: answers.collect(),
        set_aside: parts(&entry.done.set_aside),
        restored: parts(&entry.done.restored),
        left: parts(&entry.done.left),
        files: files.collect(),
        untold: untold.map(|f| f.path.clone()).collect(),
    }
}
