//! `ysomorph undo`

use super::now;
use crate::error::CliError;
use crate::output::{Format, Output};
use crate::session::Session;
use clap::Args;
use ysomorph_report::text::plural;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The entry to take back, with all later ones; the latest merge without it
    entry: Option<u32>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let workspace = session.open()?;
    let entry = workspace.undo(arguments.entry, &now())?;
    if output.format == Format::Json {
        let value = serde_json::json!({ "format": 1, "command": "undo", "entry": entry.id, "undoes": entry.undoes, "files": entry.files.iter().map(|f| &f.path).collect::<Vec<_>>() });
        output.push(&format!("{value:#}\n"));
        return Ok(0);
    }
    let numbers: Vec<String> = entry.undoes.iter().map(u32::to_string).collect();
    let files = entry.files.iter().filter(|f| !f.path.starts_with(".ysomorph/")).count();
    output.push(&format!(
        "Undone: {} {}. {} as before, to the byte.\nThis is entry {}: `ysomorph undo {}` takes it back.\n",
        if numbers.len() == 1 { "entry" } else { "entries" },
        numbers.join(", "),
        plural(files, "file is", "files are"),
        entry.id,
        entry.id
    ));
    Ok(0)
}
