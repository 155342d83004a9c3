//! `ysomorph changes`

#![allow(clippy::print_stderr, reason = "notes go to standard error")]

use super::shared::print;
use crate::error::CliError;
use crate::output::Output;
use crate::session::{RECOVERED, Session, bare};
use clap::Args;
use std::path::PathBuf;
use ysomorph_core::changes::compare;
use ysomorph_core::merge::DatabaseChange;
use ysomorph_core::rename::Known;
use ysomorph_core::schema::{Engine, Schema};
use ysomorph_report::{Report, text};
use ysomorph_sources::Source;
use ysomorph_workspace::{Config, DatabaseConfig, KnownDatabase, OpenError, as_accepted, configuration};

#[derive(Debug, Args)]
pub struct Arguments {
    /// Compare this instead of the accepted schema
    #[arg(value_name = "OLD")]
    old: Option<String>,
    /// Compare with this instead of the live database
    #[arg(value_name = "NEW")]
    new: Option<String>,
    /// Show who changed what, when and by which statement, where the database keeps a change log
    #[arg(long)]
    by: bool,
    /// Look at the data too: columns with the same values are likely the same column
    #[arg(long)]
    data: bool,
    /// The key that hashes of a snapshot's data were made with
    #[arg(long, value_name = "FILE", requires = "data")]
    key: Option<PathBuf>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let mut report = match (&arguments.old, &arguments.new) {
        (None, _) => {
            let config = configured(session)?;
            let source = session.changed_source(&config)?;
            let mut changed = Session::read(&source, &config.database)?;
            // Most looks find nothing, and then need no more than the accepted schema's text.
            let unchanged = if arguments.data { None } else { as_accepted(&session.folder, &changed) };
            if let Some(accepted) = unchanged {
                let report = Report { schema: session.digests_of_texts(&accepted, &changed), ..bare("changes") };
                print(output, &report, text::changes)?;
                return Ok(0);
            }
            // The definition has no say in what changed.
            let database = KnownDatabase::read(&session.folder)?;
            if database.recovered {
                eprintln!("{RECOVERED}");
            }
            if arguments.data {
                measure_new_columns(&source, &mut changed, &database)?;
            }
            let KnownDatabase { accepted, known, answers, .. } = &database;
            let seen = DatabaseChange { known, accepted, changed: &changed, answers, renames: config.merge.renames }.seen();
            Report {
                later: Session::settled_for_later(&seen.questions, &seen.later),
                changes: seen.comparison.changes,
                questions: seen.questions,
                log: log(accepted, &changed),
                schema: session.digests_of(accepted, &changed),
                ..bare("changes")
            }
        }
        (Some(old), Some(new)) => {
            // In a workspace its schemas and excluded tables hold.
            let config = configuration(&session.folder)?.map(|(_, config)| config.database).unwrap_or_default();
            two(session, &Session::source(old)?, &Session::source(new)?, &config, arguments)?
        }
        (Some(old), None) => {
            let config = configured(session)?;
            two(session, &Session::source(old)?, &session.changed_source(&config)?, &config.database, arguments)?
        }
    };
    report.by = arguments.by;
    print(output, &report, text::changes)?;
    Ok(u8::from(report.counted_changes() > 0))
}

/// The workspace's configuration.
fn configured(session: &Session) -> Result<Config, CliError> {
    let (_, config) = configuration(&session.folder)?.ok_or_else(|| OpenError::NotAWorkspace(session.folder.clone()))?;
    Ok(config)
}

/// Adds what the data of new columns looks like: they may be those that are gone.
fn measure_new_columns(source: &Source, changed: &mut Schema, database: &KnownDatabase) -> Result<(), CliError> {
    let known = &database.accepted;
    if known.fingerprints.is_empty() {
        eprintln!("note: the accepted schema was kept without its data; start --data or merge --write --data keep it");
    }
    let new = |table: &str, column: &str| known.column(table, column).is_none();
    let (key, _) = Session::kept_key(database.data_key.as_deref())?;
    if known.fingerprints.first().is_some_and(|f| f.key != key.id()) {
        eprintln!("note: the data of the accepted schema was kept with a key that isn't here (.ysomorph/data.key): it can't be compared");
    }
    Session::measure(source, changed, &new, &key)
}

/// Two sources, without a definition.
fn two(session: &Session, old: &Source, new: &Source, config: &DatabaseConfig, arguments: &Arguments) -> Result<Report, CliError> {
    // A digest is of the whole schema.
    let (before, after) = Source::read_two(old, new, &config.schemas, session.digests)?;
    let (mut before, mut after) = (Session::narrowed(before, config), Session::narrowed(after, config));
    if arguments.data {
        let other = before.clone();
        let key = session.key_of_snapshots(arguments.key.as_deref())?;
        Session::measure(old, &mut before, &|table, column| after.column(table, column).is_none(), &key)?;
        Session::measure(new, &mut after, &|table, column| other.column(table, column).is_none(), &key)?;
    }
    Ok(between(session, &before, &after))
}

fn between(session: &Session, before: &Schema, after: &Schema) -> Report {
    Report {
        schema: session.digests_of(before, after),
        changes: compare(before, after, &Known::default()).changes,
        alone: true,
        log: log(before, after),
        ..bare("changes")
    }
}

/// Whether the change log tells of the changes between two schemas: `--by` says why it doesn't.
fn log(before: &Schema, after: &Schema) -> Option<String> {
    let kept = after.catalogue.as_ref().is_some_and(|c| c.trail.is_some());
    match (kept, before.same_database(after)) {
        (true, true) => None,
        (true, false) => Some("its change log can't tell: the schema compared with is another database's".to_owned()),
        (false, _) => Some(format!(
            "who made the changes can't be told: the {} database keeps no change log{}",
            after.engine.word(),
            if after.engine == Engine::Postgresql { " (`ysomorph capture --install-trail` prints one)" } else { "" }
        )),
    }
}
