//! What most commands begin with: the workspace, the changed schema, and what a merge would come to.

use crate::error::CliError;
use crate::output::write_secret;
use crate::progress;
use std::collections::BTreeSet;
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};
use std::time::Duration;
use ysomorph_core::impact::data::{Counted, TableCounts};
use ysomorph_core::merge::{Outcome, Question};
use ysomorph_core::name::shown;
use ysomorph_core::schema::Schema;
use ysomorph_report::{Report, SchemaDigests};
use ysomorph_sources::{DataKey, Source, count, measure};
use ysomorph_workspace::{Closed, Config, DatabaseConfig, OpenError, Workspace, configuration, kept_data_key};

/// Names the database instead of the configuration.
const URL_VARIABLE: &str = "YSOMORPH_URL";

/// Said where the one write that a looking command may make was made.
pub const RECOVERED: &str = "note: a write that had been interrupted was completed first";

/// How long counting in the data may take.
const COUNTING: Duration = Duration::from_secs(60);

/// How long measuring data may take.
const MEASURING: Duration = Duration::from_secs(30);

/// One database of several.
#[derive(Debug, Clone)]
pub struct NamedSource {
    /// What it is called in results.
    pub name: String,
    /// Where it is, as it was given.
    pub source: String,
}

impl NamedSource {
    /// Sources of the command line and of a file, named by what they lead to where no name is given.
    pub fn all(given: &[String], list: Option<&Path>) -> Result<Vec<NamedSource>, CliError> {
        let mut all: Vec<NamedSource> = given.iter().map(|source| NamedSource::unnamed(source)).collect();
        if let Some(file) = list {
            let read = if file.as_os_str() == "-" { std::io::read_to_string(std::io::stdin()) } else { std::fs::read_to_string(file) };
            let text =
                read.map_err(|e| CliError::new(format!("cannot read `{}`: {e}", file.display())).hint("name a file you may read"))?;
            let lines = text.lines().map(str::trim).filter(|line| !line.is_empty() && !line.starts_with('#'));
            all.extend(lines.map(|line| match line.rsplit_once(char::is_whitespace) {
                Some((name, source)) => NamedSource { name: name.trim_end().to_owned(), source: source.to_owned() },
                None => NamedSource::unnamed(line),
            }));
            if all.is_empty() {
                return Err(CliError::new(format!("`{}` names no database", file.display()))
                    .hint("a line for each: a name, a blank, and the source; the name may be left out"));
            }
        }
        // Two of one name couldn't be told apart.
        for at in 0..all.len() {
            let name = all[at].name.clone();
            let same = all[..at].iter().filter(|one| one.name == name).count();
            if same > 0 {
                all[at].name = format!("{name} ({})", same + 1);
            }
        }
        Ok(all)
    }

    fn unnamed(source: &str) -> NamedSource {
        NamedSource { name: ysomorph_sources::kept_text(source), source: source.to_owned() }
    }
}

/// From how many files on a definition has an index: fewer are opened before it would be read.
const INDEX_FROM: usize = 50;
/// Says otherwise.
const INDEX_FROM_VARIABLE: &str = "YSOMORPH_INDEX_FROM";

/// From how many files on a definition has an index.
pub fn index_from() -> usize {
    std::env::var(INDEX_FROM_VARIABLE).ok().and_then(|text| text.parse().ok()).unwrap_or(INDEX_FROM)
}

/// How much of a large definition a look needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Opening {
    /// All of it.
    Whole,
    /// What a change reaches.
    Change,
    /// That, to tell what a merge would do.
    Merge,
}

/// Where a command runs.
#[derive(Debug, Clone)]
pub struct Session {
    /// The folder.
    pub folder: PathBuf,
    /// Another changed schema than the configured one.
    pub changed: Option<String>,
    /// Several changed schemas, to look at all of them.
    pub several: Vec<NamedSource>,
    /// Show everything.
    pub verbose: bool,
    /// Whether the result is for a program: then it tells the schemas' digests.
    pub digests: bool,
    /// Whether the result has pictures: then it needs what they are drawn from.
    pub pictures: bool,
}

impl Session {
    /// The workspace.
    pub fn open(&self) -> Result<Workspace, CliError> {
        self.opened(|| Workspace::open(&self.folder))
    }

    /// The workspace, to look at what people customised.
    pub fn open_customised(&self) -> Result<Workspace, CliError> {
        if !Workspace::wants_index(&self.folder, index_from()) {
            return self.open();
        }
        self.opened(|| Workspace::open_customised(Closed::read(&self.folder, true)?))
    }

    /// Looks, and again with what has to be open too, until that is all.
    pub fn until_steady<T>(
        &self,
        workspace: &mut ManuallyDrop<Workspace>,
        changed: &Schema,
        opening: Opening,
        mut look: impl FnMut(&Workspace) -> Result<T, CliError>,
        outcome: impl Fn(&T) -> &Outcome,
    ) -> Result<T, CliError> {
        let mut also = BTreeSet::new();
        loop {
            let looked = look(workspace)?;
            if outcome(&looked).unsteady.is_empty() {
                return Ok(looked);
            }
            also.extend(outcome(&looked).unsteady.iter().cloned());
            *workspace = ManuallyDrop::new(self.open_also(changed, &also, opening)?);
        }
    }

    fn open_also(&self, changed: &Schema, also: &BTreeSet<String>, opening: Opening) -> Result<Workspace, CliError> {
        self.opened(|| Workspace::open_for(Closed::read(&self.folder, true)?, changed, also, opening == Opening::Merge))
    }

    /// The workspace as it is opened so.
    fn opened(&self, open: impl FnOnce() -> Result<Workspace, OpenError>) -> Result<Workspace, CliError> {
        let workspace = progress::during("reading the definition", open)?;
        if workspace.recovered {
            // The one write a looking command may make.
            eprintln!("{RECOVERED}");
        }
        Ok(workspace)
    }

    /// The workspace and the changed schema, for a look at what the one is to the other: of a large definition, what the change reaches.
    pub fn open_for_change(&self, opening: Opening) -> Result<(Workspace, Source, Schema), CliError> {
        if opening != Opening::Whole
            && Workspace::wants_index(&self.folder, index_from())
            && let Ok(Some((_, config))) = configuration(&self.folder)
        {
            let source = self.changed_source(&config)?;
            // What stands in the files is read while the database answers.
            let (files, changed) = std::thread::scope(|both| {
                let files = both.spawn(|| Closed::read(&self.folder, true));
                let changed = Session::read(&source, &config.database);
                (files.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic)), changed)
            });
            let mut changed = changed?;
            if let Ok(files) = &files {
                changed.tables.share(&files.accepted().tables);
            }
            let workspace = self.opened(|| Workspace::open_for(files?, &changed, &BTreeSet::new(), opening == Opening::Merge))?;
            return Ok((workspace, source, changed));
        }
        let workspace = self.open()?;
        let source = self.changed_source(&workspace.config)?;
        let mut changed = Session::read(&source, &workspace.config.database)?;
        changed.tables.share(&workspace.accepted().tables);
        Ok((workspace, source, changed))
    }

    /// A source given on the command line.
    pub fn source(text: &str) -> Result<Source, CliError> {
        Ok(Source::parse(text, Path::new(""), |name| std::env::var(name).ok())?)
    }

    /// Where the changed schema is: as the command line says, else the environment, else the configuration.
    pub fn changed_source(&self, config: &Config) -> Result<Source, CliError> {
        match &self.changed {
            Some(text) => Session::source(text),
            None => self.configured_source(config),
        }
    }

    /// The database as the environment names it, else the configuration of the session's folder.
    pub fn configured_source(&self, config: &Config) -> Result<Source, CliError> {
        match Session::url_of_environment() {
            Some(text) => Session::source(&text),
            None => Ok(Source::parse(&config.database.url, &self.folder, |name| std::env::var(name).ok())?),
        }
    }

    /// The database that the environment names.
    pub fn url_of_environment() -> Option<String> {
        std::env::var(URL_VARIABLE).ok().filter(|url| !url.is_empty())
    }

    /// The changed schema: tables that are excluded stay out.
    pub fn changed(&self, workspace: &Workspace) -> Result<Schema, CliError> {
        Session::read(&self.changed_source(&workspace.config)?, &workspace.config.database)
    }

    /// Adds what the data of a schema's columns looks like; says what the time limit left out.
    pub fn measure(source: &Source, schema: &mut Schema, wanted: &dyn Fn(&str, &str) -> bool, key: &DataKey) -> Result<(), CliError> {
        let (fingerprints, left) = measure(source, schema, wanted, key, MEASURING)?;
        if left > 0 {
            eprintln!("note: {left} columns of {source} weren't measured: the time of {} s was over", MEASURING.as_secs());
        }
        schema.fingerprints = fingerprints;
        Ok(())
    }

    /// What hashes of the data are made with: what the workspace keeps, else a new one, and whether it is new.
    pub fn data_key(workspace: Option<&Path>) -> Result<(DataKey, bool), CliError> {
        let kept = workspace.map(kept_data_key).transpose().map_err(|e| CliError::files(&[e]))?.flatten();
        Session::kept_key(kept.as_deref())
    }

    /// The key that a workspace keeps, else a new one, and whether it is new.
    pub fn kept_key(kept: Option<&str>) -> Result<(DataKey, bool), CliError> {
        match kept {
            Some(text) => Ok((key_of(text, ".ysomorph/data.key", "take it away: the next merge --write --data makes a new one")?, false)),
            None => {
                let fresh = DataKey::fresh().map_err(|e| CliError::new(format!("no random key can be made: {e}")))?;
                Ok((fresh, true))
            }
        }
    }

    /// The key for two schemas of anywhere: a file's, or the workspace's where the command runs in one.
    pub fn key_of_snapshots(&self, file: Option<&Path>) -> Result<DataKey, CliError> {
        if file.is_some() {
            return data_key_in(file, None);
        }
        let workspace = configuration(&self.folder)?.map(|_| self.folder.as_path());
        Ok(Session::data_key(workspace)?.0)
    }

    /// Counts records that go against the definition; says what couldn't be counted.
    pub fn count(source: &Source, plan: Vec<TableCounts>) -> Result<Vec<Counted>, CliError> {
        let (counts, left) = count(source, plan, COUNTING, progress::of_tables)?;
        for (table, reason) in left {
            eprintln!("note: the records of `{}` weren't counted: {}", shown(&table), shown(&reason));
        }
        let first = counts.iter().filter(|c| c.more).map(|c| c.of).max();
        if let Some(records) = first {
            eprintln!("note: of tables with more than {records} records only the first {records} were looked at");
        }
        Ok(counts)
    }

    /// Reads a source as the workspace reads its database: the same schemas, without the tables it excludes.
    pub fn read(source: &Source, config: &DatabaseConfig) -> Result<Schema, CliError> {
        let schema = progress::during(&format!("reading {source}"), || source.read(&config.schemas))?;
        Ok(Session::narrowed(schema, config))
    }

    /// A schema without the tables that the workspace excludes; says what the user may not see.
    pub fn narrowed(schema: Schema, config: &DatabaseConfig) -> Schema {
        for note in &schema.unseen {
            eprintln!("note: {}", shown(note));
        }
        schema.restricted(&config.tables.include, &config.tables.exclude)
    }

    /// The new tables of which somebody answered that they come later.
    pub fn settled_for_later(questions: &[Question], later: &BTreeSet<String>) -> Vec<String> {
        let answered = |q: &&Question| q.answer.as_deref() == Some("later");
        let settled: BTreeSet<&str> = questions.iter().filter(answered).map(|q| q.name.as_str()).collect();
        let is_settled = |table: &&String| settled.contains(format!("table/{}", ysomorph_core::name::written(table)).as_str());
        later.iter().filter(is_settled).cloned().collect()
    }

    /// The same of the accepted schema's text.
    pub fn digests_of_texts(&self, accepted: &str, changed: &Schema) -> SchemaDigests {
        let of = |text: &str| if self.digests { ysomorph_workspace::digest(text) } else { String::new() };
        let changed = if self.digests { digest(changed) } else { String::new() };
        SchemaDigests { accepted: of(accepted), changed }
    }

    /// Digests of two schemas, where they are asked for.
    pub fn digests_of(&self, accepted: &Schema, changed: &Schema) -> SchemaDigests {
        let of = |schema: &Schema| if self.digests { digest(schema) } else { String::new() };
        SchemaDigests { accepted: of(accepted), changed: of(changed) }
    }
}

/// A command's report, empty.
pub fn bare(command: &str) -> Report {
    Report { format: 1, command: command.to_owned(), ..Report::default() }
}

/// A report on the definition alone.
pub fn bare_report(command: &str, session: &Session, workspace: &Workspace, changed: &Schema) -> Report {
    // Of what isn't open nothing is quoted.
    let open = workspace.texts.iter().filter(|(file, _)| !workspace.tree.asleep.contains(file.name()));
    Report {
        schema: session.digests_of(workspace.accepted(), changed),
        texts: open.map(|(file, text)| (file.path(), text.clone())).collect(),
        counts: counts(workspace),
        pages: pages(workspace),
        joined: workspace.joined().cloned().collect(),
        ..bare(command)
    }
}

/// A report with what all commands tell: schemas, changes, questions.
pub fn report(command: &str, session: &Session, workspace: &Workspace, changed: &Schema, outcome: &Outcome) -> Report {
    Report {
        changes: outcome.comparison.changes.clone(),
        questions: outcome.questions.clone(),
        unasked: outcome.unasked.clone(),
        later: Session::settled_for_later(&outcome.questions, &outcome.known.later),
        ..bare_report(command, session, workspace, changed)
    }
}

fn digest(schema: &Schema) -> String {
    ysomorph_workspace::digest(&schema.to_snapshot())
}

/// Every page, by entity.
pub fn pages(workspace: &Workspace) -> Vec<(String, String)> {
    let of = |entity: &'_ str| -> Vec<(String, String)> {
        workspace.tree.pages(entity).into_iter().map(|page| (entity.to_owned(), page.to_owned())).collect()
    };
    workspace.entities().flat_map(of).collect()
}

/// Entities and pages.
fn counts(workspace: &Workspace) -> (usize, usize) {
    let entities: Vec<&str> = workspace.entities().collect();
    (entities.len(), entities.iter().map(|entity| workspace.tree.pages(entity).len()).sum())
}

/// The key that hashes are made with: a file's, which is made if it isn't there, or the workspace's.
pub fn data_key_in(file: Option<&Path>, workspace: Option<&Path>) -> Result<DataKey, CliError> {
    let Some(file) = file else {
        return match (workspace, Session::data_key(workspace)?) {
            (Some(_), (key, false)) => Ok(key),
            _ => Err(CliError::new("hashes of the data need a key that is kept apart from them").hint(
                "name a file for it: --key FILE; or capture in a workspace whose data was measured (start --data, merge --write --data)",
            )),
        };
    };
    match std::fs::read_to_string(file) {
        Ok(text) => key_of(&text, &file.display().to_string(), "name another file"),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => {
            let (key, _) = Session::data_key(None)?;
            write_secret(file, &key.text()).map(|()| key)
        }
        Err(error) => Err(CliError::new(format!("cannot read `{}`: {error}", file.display())).hint("name a file you may read")),
    }
}

/// The key that a file holds.
fn key_of(text: &str, file: &str, hint: &str) -> Result<DataKey, CliError> {
    let wrong = || CliError::new(format!("`{file}` isn't a key: 64 hexadecimal digits belong there")).hint(hint);
    DataKey::read(text).ok_or_else(wrong)
}
