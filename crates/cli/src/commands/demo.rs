//! `ysomorph demo`: a workspace of a beekeepers' co-operative, a database that changes and changes back, and
//! every command with what it prints.

use crate::error::CliError;
use crate::output::Output;
use crate::session::Session;
use clap::Args;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use ysomorph_core::merge::merge;
use ysomorph_core::name::shown;
use ysomorph_core::schema::Engine;
use ysomorph_report::text::{heading, plural};
use ysomorph_sources::{Source, create_database, kept_text, run_script};
use ysomorph_workspace::{Begin, merges, start};

#[derive(Debug, Args)]
pub struct Arguments {
    /// Where to make it (a new folder)
    #[arg(value_name = "FOLDER")]
    place: Option<PathBuf>,
    /// Only make the workspace and its database; --changed has the changed one beside it
    #[arg(long)]
    only_files: bool,
    /// Then open the application on the changed database, both versions beside each other
    #[arg(long = "try")]
    tried: bool,
    /// Make its database on a server: postgres://… or mysql://…, whose database is new or empty
    #[arg(long, value_name = "URL")]
    on: Option<String>,
}

/// The demo's database in one engine's dialect: as it was, what its owner did, and back.
struct Scripts {
    before: &'static str,
    after: &'static str,
    back: &'static str,
}

macro_rules! scripts {
    ($engine:literal) => {
        Scripts {
            before: include_str!(concat!("../../demo/", $engine, "/before.sql")),
            after: include_str!(concat!("../../demo/", $engine, "/after.sql")),
            back: include_str!(concat!("../../demo/", $engine, "/back.sql")),
        }
    };
}

const SQLITE: Scripts = scripts!("sqlite");
const POSTGRESQL: Scripts = scripts!("postgresql");
const MARIADB: Scripts = scripts!("mariadb");
const CONFIG: &str = include_str!("../../demo/ysomorph.toml");
/// The files a person edited after the draft.
const BY_HAND: &[(&str, &str)] = &[
    ("app/app.toml", include_str!("../../demo/app/app.toml")),
    ("app/apiary.toml", include_str!("../../demo/app/apiary.toml")),
    ("app/colony.toml", include_str!("../../demo/app/colony.toml")),
    ("app/harvest.toml", include_str!("../../demo/app/harvest.toml")),
    ("app/harvest_by_apiary.toml", include_str!("../../demo/app/harvest_by_apiary.toml")),
    ("app/hive.toml", include_str!("../../demo/app/hive.toml")),
    ("app/inspection.toml", include_str!("../../demo/app/inspection.toml")),
    ("app/keeper.toml", include_str!("../../demo/app/keeper.toml")),
    ("app/labels.de.po", include_str!("../../demo/app/labels.de.po")),
    ("handmade/season.sql", include_str!("../../demo/handmade/season.sql")),
    ("handmade/jar_labels.py", include_str!("../../demo/handmade/jar_labels.py")),
];

/// How each engine says how long ago a day was: the one formula of the demo is in the database's own words.
fn days_since(column: &str, engine: Engine) -> String {
    match engine {
        Engine::Sqlite => format!("CAST(julianday('now') - julianday({column}) AS INTEGER)"),
        Engine::Postgresql => format!("current_date - {column}"),
        Engine::Mariadb | Engine::Mysql => format!("datediff(current_date, {column})"),
    }
}

/// Runs a command line as if it were typed.
type RunLine = fn(&[&str], &Session, &mut Output) -> Result<u8, CliError>;

pub fn run(arguments: &Arguments, session: &Session, output: &mut Output, run_line: RunLine) -> Result<u8, CliError> {
    let place = arguments.place.clone().unwrap_or_else(|| PathBuf::from("demo"));
    // As it was named, without the dot of the folder one is in.
    let folder = if session.folder == Path::new(".") { place } else { session.folder.join(place) };
    if std::fs::read_dir(&folder).is_ok_and(|mut entries| entries.next().is_some()) {
        return Err(CliError::new(format!("`{}` isn't empty; nothing was overwritten", folder.display()))
            .hint("name a new folder: ysomorph demo FOLDER"));
    }
    let failed = |e: std::io::Error| {
        CliError::new(format!("cannot make the demo in `{}`: {e}", folder.display()))
            .hint("name a folder you may write to: ysomorph demo FOLDER")
    };
    std::fs::create_dir_all(&folder).map_err(failed)?;
    let url = arguments.on.as_ref().map_or_else(|| "sqlite:threecombs.db".to_owned(), |on| kept_text(on));
    let source = match &arguments.on {
        Some(on) => empty_database(on)?,
        None => Source::Sqlite(folder.join("threecombs.db")),
    };
    let scripts = match &source {
        Source::Server(address) if address.engine == Engine::Postgresql => POSTGRESQL,
        Source::Server(_) => MARIADB,
        _ => SQLITE,
    };
    run_script(&source, scripts.before)?;
    let schema = source.read(&[])?;
    let config = CONFIG.replace("sqlite:threecombs.db", &url);
    let begin = Begin { url: &url, title: "Three Combs", schemas: &[], include: &[], exclude: &[], data_key: None, config: Some(&config) };
    start(&folder, &begin, &schema)?;
    std::fs::create_dir_all(folder.join("handmade")).map_err(failed)?;
    let engine = source.engine();
    for (file, text) in BY_HAND {
        std::fs::write(folder.join(file), text.replace("days_since(inspected_on)", &days_since("inspected_on", engine))).map_err(failed)?;
    }
    if arguments.only_files {
        output.push(&format!("The demo is in {}: a workspace and its database, not changed yet.\n", folder.display()));
        return Ok(0);
    }
    if arguments.tried {
        run_script(&source, scripts.after)?;
        output.push(&format!("The demo is in {}; its database has changed since the application was made.\n", folder.display()));
        output.flush();
        return run_line(&["try", "--both", "--with", "user_keeper=1"], &of_folder(&folder), output);
    }
    let mut walk = Walk { session: of_folder(&folder), output, run_line };
    walk.say(&format!("Three Combs, a beekeepers' co-operative, in {}", folder.display()));
    walk.say("Its application was drafted with `ysomorph start` and edited by hand since.");
    walk.command(&["check"])?;
    walk.command(&["changes"])?;
    let original = definition(&folder);
    walk.say("Now the database's owner changes it: names, columns, tables, a view.");
    run_script(&source, scripts.after)?;
    walk.command(&["changes"])?;
    walk.command(&["impact"])?;
    walk.say("And what the records themselves do against the definition.");
    walk.command(&["impact", "--data", "--rule", "data/*"])?;
    walk.command(&["decide", "--list"])?;
    let asked = walk.open_questions()?;
    walk.say("The renames are what they look like; the new table can wait.");
    for (question, choice) in [
        ("rename/remedy", "medicine"),
        ("rename/keeper.postcode", "postal_code"),
        ("rename/hive.tag", "hive_no"),
        ("rename/harvest.honey_kg", "honey_g"),
        ("table/swarm_report", "later"),
    ] {
        // Where the database's catalogue knows a rename, nothing is asked.
        if asked.iter().any(|q| q == question) {
            walk.command(&["decide", question, choice])?;
        }
    }
    walk.command(&["decide", "--list"])?;
    walk.say("What is still open gets the safe choice.");
    walk.command(&["merge", "--safe"])?;
    walk.command(&["merge", "--write", "--safe", "--quiet"])?;
    walk.command(&["check"])?;
    walk.say("What it left: SQL of the co-operative's own, which a patch gives the new names.");
    walk.command(&["merge", "--patch", "-"])?;
    walk.say("A merge can be taken back, and the undo too.");
    walk.command(&["undo"])?;
    walk.verdict(&original, &folder);
    let undone = merges::read_all(&folder).map_err(CliError::from)?.last().map(|e| e.id.clone()).unwrap_or_default();
    walk.command(&["undo", &undone])?;
    walk.command(&["changes"])?;
    walk.say("Then the owner changes everything back.");
    run_script(&source, scripts.back)?;
    walk.command(&["changes"])?;
    walk.command(&["merge", "--write", "--quiet"])?;
    walk.verdict(&original, &folder);
    walk.command(&["check"])?;
    walk.say(&format!(
        "The demo stays in {0}; try the commands there with -C {0}, and open the application with: ysomorph -C {0} try",
        folder.display()
    ));
    walk.output.flush();
    Ok(0)
}

/// A session in the demo's folder.
fn of_folder(folder: &Path) -> Session {
    let folder = folder.to_owned();
    Session { folder, changed: None, several: Vec::new(), verbose: false, digests: false, pictures: false }
}

/// A server's database for the demo: made where it isn't there, refused where it has something in it.
fn empty_database(url: &str) -> Result<Source, CliError> {
    let source = Session::source(url)?;
    if !matches!(source, Source::Server(_)) {
        return Err(CliError::new(format!("{source} is no server's database"))
            .hint("name one as postgres://USER@HOST/DATABASE or mysql://USER@HOST/DATABASE"));
    }
    create_database(&source)?;
    let there = source.read(&[])?;
    match there.tables.get(0) {
        None => Ok(source),
        Some(table) => Err(CliError::new(format!("{source} isn't empty: it has `{}`; nothing was changed", shown(&table.name)))
            .hint("name a database that isn't there yet: it is made")),
    }
}

/// Runs commands in the demo's folder and shows them with what they print.
struct Walk<'a> {
    session: Session,
    output: &'a mut Output,
    run_line: RunLine,
}

impl Walk<'_> {
    fn say(&mut self, text: &str) {
        self.output.push(&format!("\n# {text}\n"));
    }

    fn command(&mut self, words: &[&str]) -> Result<(), CliError> {
        self.output.push(&format!("\n{}\n", heading(format!("$ ysomorph {}", words.join(" ")))));
        let quiet = words.contains(&"--quiet");
        let words: Vec<&str> = words.iter().copied().filter(|word| *word != "--quiet").collect();
        let mut inner = Output::collecting();
        (self.run_line)(&words, &self.session, &mut inner)?;
        let text = inner.take();
        let text = if quiet { text.lines().next().map(|l| format!("{l}\n")).unwrap_or_default() } else { text };
        self.output.push(&text);
        self.output.flush();
        Ok(())
    }

    fn open_questions(&self) -> Result<Vec<String>, CliError> {
        let workspace = self.session.open()?;
        let changed = self.session.changed(&workspace)?;
        let outcome = merge(&workspace.merge_input(&changed, &workspace.answer_map()));
        Ok(outcome.open_questions().map(|q| q.name.clone()).collect())
    }

    /// Compares the definition's files with what they were.
    fn verdict(&mut self, original: &BTreeMap<String, Vec<u8>>, folder: &Path) {
        let now = definition(folder);
        let names: std::collections::BTreeSet<&String> = original.keys().chain(now.keys()).collect();
        let differ: Vec<&str> = names.iter().filter(|n| original.get(**n) != now.get(**n)).map(|n| n.as_str()).collect();
        let text = match differ.as_slice() {
            [] => format!("The definition is what it was, to the byte ({} compared).", plural(original.len(), "file", "files")),
            files => format!("The definition differs in {}.", files.join(", ")),
        };
        self.say(&text);
    }
}

fn definition(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let entries = std::fs::read_dir(folder.join("app")).map(|e| e.flatten().collect::<Vec<_>>()).unwrap_or_default();
    entries.into_iter().filter_map(|e| Some((e.file_name().to_string_lossy().into_owned(), std::fs::read(e.path()).ok()?))).collect()
}
