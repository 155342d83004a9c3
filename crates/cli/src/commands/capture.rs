//! `ysomorph capture`

use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::Args;
use std::path::PathBuf;
use ysomorph_report::text::plural;
use ysomorph_sources::TRAIL_SQL;
use ysomorph_workspace::DatabaseConfig;

#[derive(Debug, Args)]
pub struct Arguments {
    /// What to read, such as sqlite:my.db; the workspace's database where it is left out
    #[arg(value_name = "SOURCE")]
    source: Option<String>,
    /// Write the snapshot to FILE
    #[arg(short = 'o', value_name = "FILE")]
    file: Option<PathBuf>,
    /// Schemas to read, home first
    #[arg(long, value_name = "NAME", num_args = 1..)]
    schemas: Vec<String>,
    /// Keep what the data of each column looks like too: counts and hashes, no values
    #[arg(long)]
    data: bool,
    /// Print the SQL of a change log for PostgreSQL; nothing is installed
    #[arg(long, conflicts_with_all = ["source", "file"])]
    install_trail: bool,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    if arguments.install_trail {
        output.push(TRAIL_SQL);
        return Ok(0);
    }
    let in_workspace = session.folder.join("ysomorph.toml").is_file();
    // Without a source there has to be a workspace; opening it says so.
    let workspace = if in_workspace || arguments.source.is_none() { Some(session.open()?) } else { None };
    let mut config = workspace.as_ref().map_or_else(DatabaseConfig::default, |w| w.config.database.clone());
    if !arguments.schemas.is_empty() {
        config.schemas.clone_from(&arguments.schemas);
    }
    let source = match (&arguments.source, &workspace) {
        (None, Some(workspace)) => session.changed_source(workspace)?,
        (text, _) => Session::source(text.as_deref().unwrap_or_default())?,
    };
    let mut schema = Session::read(&source, &config)?;
    if arguments.data {
        Session::measure(&source, &mut schema, &|_, _| true)?;
    }
    let text = schema.to_snapshot();
    let Some(file) = &arguments.file else {
        output.push(&text);
        return Ok(0);
    };
    // Wholly old or wholly new: a half snapshot would look like dropped tables.
    let beside = file.with_extension("new");
    let write = std::fs::write(&beside, &text).and_then(|()| std::fs::rename(&beside, file));
    write.map_err(|e| CliError::new(format!("cannot write `{}`: {e}", file.display())).hint("name a file in a folder you may write to"))?;
    output.push(&format!(
        "Captured {} of {} in {}.\n",
        plural(schema.tables.len(), "table", "tables"),
        schema.engine.word(),
        file.display()
    ));
    Ok(0)
}
