//! `ysomorph start`

use crate::error::CliError;
use crate::interrupt::writing;
use crate::output::Output;
use crate::session::Session;
use clap::Args;
use std::path::Path;
use ysomorph_core::name::{self, shown};
use ysomorph_core::schema::{Engine, Schema, Table, Wanted};
use ysomorph_report::text;
use ysomorph_sources::{Source, kept_text};
use ysomorph_workspace::{Begin, configuration, start};

#[derive(Debug, Args)]
pub struct Arguments {
    /// The database: sqlite:FILE, postgres://…, mysql://… or snapshot:FILE; without it, what YSOMORPH_URL or a
    /// ysomorph.toml that is there already says
    #[arg(long, value_name = "SOURCE")]
    from: Option<String>,
    /// Only these tables, by pattern
    #[arg(long, value_name = "GLOB", num_args = 1..)]
    tables: Vec<String>,
    /// Keep what the data of each column looks like with the accepted schema: counts, and hashes made with a key of
    /// its own, no values
    #[arg(long)]
    data: bool,
    /// Schemas to read, home first, by name or pattern
    #[arg(long, value_name = "NAME", num_args = 1..)]
    schemas: Vec<String>,
    /// Say of everything why it was drafted as it was, not only of what is worth a look
    #[arg(long)]
    reasons: bool,
}

/// A table that isn't drafted, and why.
pub struct LeftOut {
    table: String,
    why: &'static str,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    // A configuration that is there already is drafted by; with --from there has to be none.
    let kept = if arguments.from.is_none() { configuration(&session.folder)? } else { None };
    let (url, source) = match &kept {
        Some((_, config)) => (config.database.url.clone(), session.configured_source(config)?),
        None => {
            let url = arguments.from.clone().or_else(Session::url_of_environment);
            let url = url.ok_or_else(|| CliError::new("nothing says which database to start from").hint("name it: start --from SOURCE"))?;
            let source = Session::source(&url)?;
            (url, source)
        }
    };
    let database = kept.as_ref().map(|(_, config)| config.database.clone()).unwrap_or_default();
    let given = |own: &[String], kept: Vec<String>| if own.is_empty() { kept } else { own.to_vec() };
    let schemas = given(&arguments.schemas, database.schemas);
    let include = given(&arguments.tables, database.tables.include);
    let all = source.read(&schemas)?;
    for note in &all.unseen {
        eprintln!("note: {}", shown(note));
    }
    let left_out = left_out(&all, &include);
    let mut exclude: Vec<String> = left_out.iter().filter(|l| l.why != EXCLUDED).map(|l| name::plain(&l.table)).collect();
    exclude.extend(database.tables.exclude);
    let mut schema = all.restricted(&include, &exclude);
    let mut data_key = None;
    if arguments.data {
        let (key, _) = Session::data_key(None)?;
        Session::measure(&source, &mut schema, &|_, _| true, &key)?;
        data_key = Some(key.text());
    }
    if schema.tables.is_empty() {
        return Err(CliError::new(format!("{source} has no tables to draft from")).hint("check the database, --schemas or --tables"));
    }
    let folder = std::fs::canonicalize(&session.folder).map_err(|e| {
        CliError::new(format!("cannot use the folder `{}`: {e}", session.folder.display())).hint("name an existing folder with -C")
    })?;
    let title = folder.file_name().map_or_else(|| "Application".to_owned(), |n| readable(&n.to_string_lossy()));
    let home = schema.home.clone();
    let schemas = if schemas.is_empty() { home.into_iter().collect() } else { schemas };
    let begin = Begin {
        url: &kept_url(&url, &source, &folder),
        title: &title,
        schemas: &schemas,
        include: &arguments.tables,
        exclude: &exclude,
        data_key: data_key.as_deref(),
        config: kept.as_ref().map(|(text, _)| text.as_str()),
    };
    let drafted = writing(|| start(&session.folder, &begin, &schema))?;
    for (table, key) in schema.dangling_keys() {
        eprintln!(
            "note: the foreign key of `{}` over {} points at `{}`, which isn't in the database",
            shown(&table.name),
            shown(&key.columns.join(", ")),
            shown(&key.table)
        );
    }
    let left_out: Vec<(String, &str)> = left_out.into_iter().map(|l| (l.table, l.why)).collect();
    output.push(&text::drafted(&drafted, schema.tables.len(), &left_out, arguments.reasons));
    if kept.is_none() && kept_text(&url) != url {
        let variable = if schema.engine == Engine::Postgresql { "PGPASSWORD" } else { "MYSQL_PWD" };
        output.push(&format!("The password is not kept: set {variable} or use the engine's password file.\n"));
    }
    Ok(0)
}

const EXCLUDED: &str = "no pattern of --tables matches it";

/// The tables that aren't drafted.
fn left_out(schema: &Schema, include: &[String]) -> Vec<LeftOut> {
    let wanted = Wanted::new(include, &[]);
    let reason = |table: &Table| match () {
        () if !wanted.has(&table.name) => Some(EXCLUDED),
        () if table.columns.is_empty() && table.broken.is_none() => Some("it has no columns"),
        () if schema.tables.iter().any(|t| t.name > table.name && name::same(&t.name, &table.name)) => {
            Some("another table's name differs from its own only by case")
        }
        () => None,
    };
    schema.tables.iter().filter_map(|t| Some(LeftOut { table: t.name.clone(), why: reason(t)? })).collect()
}

fn readable(name: &str) -> String {
    let words = name::words(name).join(" ");
    let mut characters = words.chars();
    characters.next().map_or_else(|| "Application".to_owned(), |first| first.to_uppercase().chain(characters).collect())
}

/// The url as the workspace keeps it: relative to its folder where the file is inside or was given so, never with a
/// password.
fn kept_url(given: &str, source: &Source, folder: &Path) -> String {
    let (scheme, path) = match source {
        Source::Sqlite(path) => ("sqlite", path),
        Source::Snapshot(path) => ("snapshot", path),
        Source::Server(_) => return kept_text(given),
    };
    if given.contains("${") {
        return given.to_owned();
    }
    // A path that was given from here stays one from the workspace, so that both can be moved together.
    let is_relative = given.strip_prefix(scheme).and_then(|rest| rest.strip_prefix(':')).is_some_and(|file| Path::new(file).is_relative());
    match std::fs::canonicalize(path) {
        Ok(full) => {
            let inside = full.strip_prefix(folder).ok().map(Path::to_owned);
            let kept = inside.or_else(|| pathdiff::diff_paths(&full, folder).filter(|_| is_relative)).unwrap_or(full);
            format!("{scheme}:{}", kept.display())
        }
        Err(_) => given.to_owned(),
    }
}
