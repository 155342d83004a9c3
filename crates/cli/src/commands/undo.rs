//! `ysomorph undo`

use super::shared::who;
use crate::clock::now;
use crate::error::CliError;
use crate::interrupt::writing;
use crate::output::{Format, Output};
use crate::session::Session;
use clap::Args;
use ysomorph_report::text::plural;
use ysomorph_workspace::By;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The entry to take back, with all later ones; the latest merge without it
    entry: Option<String>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let undone = writing(|| workspace.undo(arguments.entry.as_deref(), &By { when: now(), who: who(&workspace.root) }))?;
    let entry = &undone.entry;
    if output.format == Format::Json {
        let value = serde_json::json!({ "format": 1, "command": "undo", "entry": entry.id, "undoes": undone.taken_back, "files": entry.files.iter().map(|f| &f.path).collect::<Vec<_>>() });
        output.push(&ysomorph_report::json(&value));
        return Ok(0);
    }
    let files = entry.files.iter().filter(|f| !f.path.starts_with(".ysomorph/")).count();
    output.push(&format!(
        "Undone: {} {}. {} as before, to the byte.\nThis is entry {}: `ysomorph undo {}` takes it back.\n",
        if undone.taken_back.len() == 1 { "entry" } else { "entries" },
        undone.taken_back.join(", "),
        plural(files, "file is", "files are"),
        entry.id,
        entry.id
    ));
    Ok(0)
}
