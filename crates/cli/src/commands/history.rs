//! `ysomorph history`

use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::Session;
use clap::Args;
use ysomorph_core::name::shown;
use ysomorph_report::text::{heading, plural};
use ysomorph_workspace::{Entry, EntryKind, merges};

#[derive(Debug, Args)]
pub struct Arguments {
    /// One entry in full
    entry: Option<String>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let entries = merges::read_all(&workspace.root).map_err(|e| CliError::files(&[e]))?;
    let active = merges::in_force(&entries);
    let wanted: Vec<&Entry> = match &arguments.entry {
        Some(name) => vec![merges::named(&entries, name)?],
        None => entries.iter().collect(),
    };
    if output.format == Format::Json {
        output.push(&ysomorph_report::json(&wanted));
        return Ok(0);
    }
    if wanted.is_empty() {
        output.push("No merges yet.\n");
    }
    for entry in wanted.iter().rev() {
        let what = match entry.kind {
            EntryKind::Merge => format!("merge of {}", plural(entry.changes.len(), "change", "changes")),
            EntryKind::Undo => format!("undo of {}", entry.undoes.join(", ")),
        };
        let state = if active.contains(entry.id.as_str()) { "" } else { "   (taken back)" };
        output.push(&format!("{}  {}  {what}, {}{state}\n", heading(&entry.id), entry.when, plural(entry.files.len(), "file", "files")));
        if arguments.entry.is_some() {
            entry.changes.iter().for_each(|c| output.push(&format!("  change  {} {}\n", c.kind.name(), shown(&c.subject()))));
            entry.answers.iter().for_each(|(q, a)| output.push(&format!("  answer  {}: {}\n", shown(q), shown(a))));
            entry.files.iter().for_each(|f| output.push(&format!("  file    {}\n", shown(&f.path))));
        }
    }
    Ok(0)
}
