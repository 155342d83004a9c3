//! `ysomorph capture`

use crate::error::CliError;
use crate::output::{Output, write_secret, write_whole};
use crate::session::Session;
use clap::Args;
use std::path::{Path, PathBuf};
use ysomorph_report::text::plural;
use ysomorph_sources::{DataKey, TRAIL_SQL};
use ysomorph_workspace::{DatabaseConfig, Workspace};

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
        (None, Some(workspace)) => session.changed_source(workspace)?,
        (text, _) => Session::source(text.as_deref().unwrap_or_default())?,
    };
    let mut schema = Session::read(&source, &config)?;
    if arguments.data {
        Session::measure(&source, &mut schema, &|_, _| true, &key_of(arguments.key.as_deref(), workspace.as_ref())?)?;
    }
    let text = schema.to_snapshot();
    let Some(file) = &arguments.file else {
        output.push(&ysomorph_report::visible(text));
        return Ok(0);
    };
    // Wholly old or wholly new: a half snapshot would look like dropped tables.
    write_whole(file, &text)?;
    output.push(&format!(
        "Captured {} of {} in {}.\n",
        plural(schema.tables.len(), "table", "tables"),
        schema.engine.word(),
        file.display()
    ));
    Ok(0)
}

/// The key that hashes are made with: a file's, which is made if it isn't there, or the workspace's.
fn key_of(file: Option<&Path>, workspace: Option<&Workspace>) -> Result<DataKey, CliError> {
    let Some(file) = file else {
        return match (workspace, Session::data_key(workspace)?) {
            (Some(_), (key, false)) => Ok(key),
            _ => Err(CliError::new("hashes of the data need a key that is kept apart from them").hint(
                "name a file for it: --key FILE; or capture in a workspace whose data was measured (start --data, merge --write --data)",
            )),
        };
    };
    match std::fs::read_to_string(file) {
        Ok(text) => DataKey::read(&text)
            .ok_or_else(|| CliError::new(format!("`{}` isn't a key: 64 hexadecimal digits belong there", file.display())).hint("name another file")),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            let (key, _) = Session::data_key(None)?;
            write_secret(file, &key.text()).map(|()| key)
        }
        Err(error) => Err(CliError::new(format!("cannot read `{}`: {error}", file.display())).hint("name a file you may read")),
    }
}
