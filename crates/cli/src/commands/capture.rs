//! `ysomorph capture`

use crate::error::CliError;
use crate::output::{Output, write_whole};
use crate::session::{Session, data_key_in};
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
    /// Keep what the data of each column looks like too: counts, and hashes made with a key, no values
    #[arg(long)]
    data: bool,
    /// The key that hashes of the data are made with, kept apart from the snapshot; made if it isn't there. In a
    /// workspace its own key is used
    #[arg(long, value_name = "FILE", requires = "data")]
    key: Option<PathBuf>,
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
        (None, Some(workspace)) => session.changed_source(&workspace.config)?,
        (text, _) => Session::source(text.as_deref().unwrap_or_default())?,
    };
    let mut schema = Session::read(&source, &config)?;
    if arguments.data {
        Session::measure(&source, &mut schema, &|_, _| true, &data_key_in(arguments.key.as_deref(), workspace.as_ref())?)?;
    }
    let text = schema.to_snapshot();
    let Some(file) = &arguments.file else {
        output.push(&ysomorph_report::visible(text));
        return Ok(0);
    };
    // Wholly old or wholly new: a half snapshot would look like dropped tables.
    write_whole(file, text.as_bytes())?;
    output.push(&format!(
        "Captured {} of {} in {}.\n",
        plural(schema.tables.len(), "table", "tables"),
        schema.engine.word(),
        file.display()
    ));
    Ok(0)
}
