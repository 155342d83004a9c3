//! `ysomorph capture`

use crate::error::CliError;
use crate::output::{Output, write_whole};
use crate::session::{Session, data_key_in};
use clap::Args;
use std::path::PathBuf;
use ysomorph_report::text::plural;
use ysomorph_sources::TRAIL_SQL;
use ysomorph_workspace::{DatabaseConfig, OpenError, configuration};

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
    let configured = configuration(&session.folder)?.map(|(_, config)| config);
    let source = match (&arguments.source, &configured) {
        (Some(text), _) => Session::source(text)?,
        (None, Some(config)) => session.changed_source(config)?,
        (None, None) => return Err(OpenError::NotAWorkspace(session.folder.clone()).into()),
    };
    let workspace = configured.as_ref().map(|_| session.folder.as_path());
    let mut config = configured.map_or_else(DatabaseConfig::default, |config| config.database);
    if !arguments.schemas.is_empty() {
        config.schemas.clone_from(&arguments.schemas);
    }
    let mut schema = Session::read(&source, &config)?;
    if arguments.data {
        Session::measure(&source, &mut schema, &|_, _| true, &data_key_in(arguments.key.as_deref(), workspace)?)?;
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
