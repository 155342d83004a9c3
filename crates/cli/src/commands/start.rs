//! `ysomorph start`

use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::Args;
use std::path::Path;
use ysomorph_core::draft::Draft;
use ysomorph_core::name::shown;
use ysomorph_core::schema::Schema;
use ysomorph_report::text::{heading, hint, plural};
use ysomorph_sources::Source;
use ysomorph_workspace::start;

#[derive(Debug, Args)]
pub struct Arguments {
    /// The database, such as sqlite:my.db
    #[arg(long, value_name = "SOURCE")]
    from: String,
    /// Only these tables, by pattern
    #[arg(long, value_name = "GLOB", num_args = 1..)]
    tables: Vec<String>,
}

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output) -> Result<u8, CliError> {
    let source = Session::source(&arguments.from)?;
    let include = if arguments.tables.is_empty() { vec!["*".to_owned()] } else { arguments.tables.clone() };
    let schema = source.read()?.restricted(&include, &[]);
    if schema.tables.is_empty() {
        return Err(CliError::new(format!("{source} has no tables to draft from")).hint("check the database file, or --tables"));
    }
    let folder = std::fs::canonicalize(&session.folder).map_err(|e| {
        CliError::new(format!("cannot use the folder `{}`: {e}", session.folder.display())).hint("name an existing folder with -C")
    })?;
    let title = folder.file_name().map_or_else(|| "Application".to_owned(), |n| readable(&n.to_string_lossy()));
    let drafted = start(&session.folder, &kept_url(&arguments.from, &source, &folder), &title, &arguments.tables, &schema, None)?;
    output.push(&summary(&schema, &drafted));
    Ok(0)
}

fn readable(name: &str) -> String {
    let words = ysomorph_core::name::words(name).join(" ");
    let mut characters = words.chars();
    characters.next().map_or_else(|| "Application".to_owned(), |first| first.to_uppercase().chain(characters).collect())
}

/// The url as the workspace keeps it: relative to its folder where the file is inside.
fn kept_url(given: &str, source: &Source, folder: &Path) -> String {
    let (scheme, path) = match source {
        Source::Sqlite(path) => ("sqlite", path),
        Source::Snapshot(path) => ("snapshot", path),
    };
    if given.contains("${") {
        return given.to_owned();
    }
    match std::fs::canonicalize(path) {
        Ok(full) => format!("{scheme}:{}", full.strip_prefix(folder).unwrap_or(&full).display()),
        Err(_) => given.to_owned(),
    }
}

/// What was drafted and why.
pub fn summary(schema: &Schema, drafted: &Draft) -> String {
    let entities = drafted.tree.entities().count();
    let pages: usize = drafted.tree.entities().map(|(_, e)| e.get("page").map_or(0, |p| p.entries().len())).sum();
    let mut out = format!(
        "Drafted {} with {} from {}.\n",
        plural(entities, "entity", "entities"),
        plural(pages, "page", "pages"),
        plural(schema.tables.len(), "table", "tables")
    );
    for (name, node) in drafted.tree.entities() {
        let fields = node.get("field").map_or(0, |f| f.entries().len());
        out.push_str(&format!("\n{}  {}\n", heading(shown(name)), plural(fields, "field", "fields")));
        for note in drafted.notes.iter().filter(|n| n.entity == name) {
            out.push_str(&format!("  {}\n", shown(&note.text)));
        }
    }
    if !schema.outside.is_empty() {
        out.push_str(&format!("\nLeft out by --tables: {}\n", schema.outside.iter().map(|t| shown(t)).collect::<Vec<_>>().join(", ")));
    }
    out.push_str("\nThe definition is in app/, one file an entity, yours to edit: labels, order, pages, access.\nOne role, everyone, may do everything.\n");
    out.push_str(&format!("\n{}\n", hint("ysomorph check, and ysomorph changes on the day the database changed")));
    out
}
