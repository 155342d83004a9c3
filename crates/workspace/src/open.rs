//! Reading a workspace whole. Every file that can't be read is told at once, with its place.

use crate::config::Config;
use crate::decisions::{self, Answer};
use crate::files::{FileError, read_text, read_toml};
use crate::folder::{self, LockError};
use crate::joined;
use crate::kept::Kept;
use crate::opening::{Change, Known, Unopened};
use crate::secret;
use crate::state::{State, accepted_of};
use crate::toml::{ParseError, parse};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::OnceLock;
use ysomorph_core::definition::{Asleep, At, FileKey, Problem, Tree, validate, validate_workspace};
use ysomorph_core::impact::named::SOURCE_BROKEN;
use ysomorph_core::merge::of_branches;
use ysomorph_core::schema::Schema;

/// A workspace read from disk.
#[derive(Debug)]
pub struct Workspace {
    /// Its folder.
    pub root: PathBuf,
    /// `ysomorph.toml`
    pub config: Config,
    /// The text of `ysomorph.toml`.
    pub(crate) config_text: String,
    /// The texts of the definition's files.
    pub texts: BTreeMap<FileKey, String>,
    /// The texts of the catalogues beside them, by path.
    pub(crate) catalogues: BTreeMap<String, String>,
    /// The definition.
    pub tree: Tree,
    /// `.ysomorph/`
    pub(crate) state: State,
    /// The definition with everything that is hidden, once it is asked for.
    kept: OnceLock<Kept>,
    /// What is wrong with the definition, once it is asked for.
    problems: OnceLock<Vec<Problem>>,
    /// `decisions.toml`
    pub answers: Vec<Answer>,
    /// Whether an interrupted write was completed on opening.
    pub recovered: bool,
    /// What was known of the files, where not all of them were opened.
    pub(crate) known: Option<Known>,
}

/// Why a workspace can't be opened.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    /// There is none.
    #[error("there is no workspace in `{0}`")]
    NotAWorkspace(PathBuf),
    /// The configuration names a format this program doesn't know.
    #[error("ysomorph.toml says format {0}; this program knows 1")]
    Format(u32),
    /// Some files can't be read.
    #[error("{} can't be read", files(.0))]
    Files(Vec<FileError>),
    /// Somebody writes without a pause, or an interrupted write couldn't be completed.
    #[error("an interrupted write couldn't be completed: {0}")]
    Recovery(#[from] LockError),
}

/// The configuration of a workspace.
pub(crate) const CONFIG_FILE: &str = "ysomorph.toml";

fn files(errors: &[FileError]) -> String {
    let mut names: Vec<&str> = errors.iter().map(|e| e.file.as_str()).collect();
    names.dedup();
    names.join(", ")
}

impl Workspace {
    /// Opens the workspace in a folder. The one thing this may write is the rest of a write that was interrupted
    /// after its commit point.
    pub fn open(root: &Path) -> Result<Workspace, OpenError> {
        if !is_workspace(root) {
            return Err(OpenError::NotAWorkspace(root.to_owned()));
        }
        folder::whole(root, |recovered| Workspace::read(root, recovered, None))?
    }

    /// The same for a look at a change: entities that it doesn't reach stay closed, where it is known what they say. `also` are to
    /// be opened in any case; `with_follow_ups` for a merge, which looks at what earlier ones left.
    pub fn open_for(root: &Path, changed: &Schema, also: &BTreeSet<String>, with_follow_ups: bool) -> Result<Workspace, OpenError> {
        if !is_workspace(root) {
            return Err(OpenError::NotAWorkspace(root.to_owned()));
        }
        folder::whole(root, |recovered| Workspace::read(root, recovered, Some(Change { changed, also, with_follow_ups })))?
    }

    fn read(root: &Path, recovered: bool, change: Option<Change<'_>>) -> Result<Workspace, OpenError> {
        let mut errors = Vec::new();
        let (config_text, config) = read_config(root, &mut errors);
        let texts = read_texts(root, &mut errors);
        let catalogues = crate::translations::read(root, &mut errors);
        let answers = decisions::read(root).unwrap_or_else(|e| {
            errors.push(e);
            Vec::new()
        });
        let state = State::texts(root, &mut errors);
        let accepted = accepted_of(&state.read, &mut errors);
        let unopened = Unopened { root, config_text: &config_text, texts: &texts, state: &state.read, accepted: &accepted };
        let is_known_by_its_files = errors.is_empty() && catalogues.is_empty() && state.joined.is_empty();
        let (asleep, known) = match change.filter(|_| is_known_by_its_files).and_then(|change| unopened.asleep(change)) {
            Some((asleep, known)) => (asleep, Some(known)),
            None => (Asleep::default(), None),
        };
        let tree = read_definition(&texts, asleep, &mut errors);
        let is_open = |file: &FileKey| !tree.asleep.contains(file.name());
        let state = State::of(state, accepted, &is_open).unwrap_or_else(|e| {
            errors.extend(e);
            State::default()
        });
        let errors = named_conflicts(errors);
        match config {
            Some(config) if errors.is_empty() && config.format == 1 => Ok(Workspace {
                root: root.to_owned(),
                config,
                config_text,
                texts,
                catalogues,
                tree,
                state,
                kept: OnceLock::new(),
                problems: OnceLock::new(),
                answers,
                recovered,
                known,
            }),
            Some(config) if errors.is_empty() => Err(OpenError::Format(config.format)),
            _ => Err(OpenError::Files(errors)),
        }
    }

    /// The definition with everything that is hidden, lifted to what stands in its files.
    pub(crate) fn kept(&self) -> &Kept {
        self.kept.get_or_init(|| {
            let asleep = &self.tree.asleep;
            let mut kept = self.state.kept.lifted(&self.texts, &|file| !asleep.contains(file.name()));
            kept.whole.tree.asleep = asleep.clone();
            kept
        })
    }

    /// All entities, open or not.
    pub fn entities(&self) -> impl Iterator<Item = &str> {
        self.texts.keys().filter(|file| **file != FileKey::App).map(FileKey::name)
    }

    /// The accepted schema.
    pub fn accepted(&self) -> &Schema {
        &self.state.accepted
    }

    /// The files of the state that version control joined with a conflict: a merge writes them anew.
    pub fn joined(&self) -> &[String] {
        &self.state.joined
    }

    /// What hinders a merge: what is wrong with the definition by itself, but for SQL that was kept to be fixed by hand.
    pub fn hindrances(&self) -> Vec<Problem> {
        let mut problems = self.problems();
        let is_kept = |file: &str| self.remembered_follow_ups().any(|f| f.rule == SOURCE_BROKEN && f.file.as_deref() == Some(file));
        problems.retain(|p| !(p.path.contains("/source/") && is_kept(&p.file.path())));
        problems
    }

    /// What is wrong with the definition by itself. Where two branches met, one of them may still speak of what the other one's
    /// merge lost or renamed: that is known, and a merge sets it aside or carries it over.
    pub fn problems(&self) -> Vec<Problem> {
        if !self.speaks_of_before() {
            return self.own_problems().to_vec();
        }
        let (known, accepted) = (&self.state.kept.known, self.accepted());
        validate(&of_branches(&self.tree, known, accepted), &known.all(accepted))
    }

    /// What is wrong with the definition as it stands, on the accepted schema.
    fn own_problems(&self) -> &[Problem] {
        self.problems.get_or_init(|| validate(&self.tree, self.accepted()))
    }

    /// Whether the definition may speak of what the database had, as it was called before.
    pub(crate) fn speaks_of_before(&self) -> bool {
        let known = &self.state.kept.known;
        let knows_more = !known.lost.is_empty() || !known.named.is_empty();
        knows_more && !self.own_problems().is_empty()
    }

    /// Answers by question name.
    pub fn answer_map(&self) -> BTreeMap<String, String> {
        self.answers.iter().map(|a| (a.question.clone(), a.choice.clone())).collect()
    }
}

/// What is wrong with a file in which version control left conflicts is those conflicts.
fn named_conflicts(errors: Vec<FileError>) -> Vec<FileError> {
    let mut named: Vec<FileError> = Vec::new();
    let mut conflicts: BTreeMap<String, Option<u32>> = BTreeMap::new();
    for error in errors {
        let is_first = !conflicts.contains_key(&error.file);
        let conflict = *conflicts.entry(error.file.clone()).or_insert_with(|| joined::first_conflict(&error.text));
        let Some(line) = conflict else {
            named.push(error);
            continue;
        };
        if is_first {
            let message = "version control left a conflict here: keep what is right of both sides, and take out the lines that mark them";
            named.push(FileError { at: Some(At { line, column: 1 }), message: message.to_owned(), ..error });
        }
    }
    named
}

/// Whether there is a configuration, be it one that can't be read.
fn is_workspace(root: &Path) -> bool {
    std::fs::symlink_metadata(root.join(CONFIG_FILE)).is_ok()
}

fn toml_error(file: String, text: &Arc<str>, error: ParseError) -> FileError {
    FileError { file, at: Some(error.at), message: error.message, text: Arc::clone(text) }
}

/// The configuration of a folder that may have no definition yet; `None` without one.
///
/// # Errors
/// Everything that is wrong with it.
pub fn configuration(root: &Path) -> Result<Option<(String, Config)>, OpenError> {
    if !is_workspace(root) {
        return Ok(None);
    }
    let mut errors = Vec::new();
    match read_config(root, &mut errors) {
        (text, Some(config)) if config.format == 1 => Ok(Some((text, config))),
        (_, Some(config)) => Err(OpenError::Format(config.format)),
        (_, None) => Err(OpenError::Files(errors)),
    }
}

/// Reads the configuration; what is said of it shows no password that stands in it.
fn read_config(root: &Path, errors: &mut Vec<FileError>) -> (String, Option<Config>) {
    let mut own = Vec::new();
    let read = read_config_openly(root, &mut own);
    errors.extend(without_secrets(own, &read.0));
    read
}

/// Errors of the configuration without the passwords that stand in its text.
pub(crate) fn without_secrets(errors: Vec<FileError>, text: &str) -> Vec<FileError> {
    let masked: Arc<str> = secret::masked_in_place(text).into();
    let secrets = secret::secrets(text);
    let scrubbed = |error: FileError| FileError { message: secret::scrubbed(&error.message, &secrets), text: Arc::clone(&masked), ..error };
    errors.into_iter().map(scrubbed).collect()
}

fn read_config_openly(root: &Path, errors: &mut Vec<FileError>) -> (String, Option<Config>) {
    let text = match read_text(root, CONFIG_FILE) {
        Ok(text) => text.unwrap_or_default(),
        Err(error) => {
            errors.push(error);
            return (String::new(), None);
        }
    };
    let problems = parse(&text).map(|parsed| validate_workspace(&parsed)).unwrap_or_default();
    if !problems.is_empty() {
        let shared: Arc<str> = text.as_str().into();
        errors.extend(problems.into_iter().map(|problem| {
            let nearest = problem.nearest.map_or_else(String::new, |near| format!("; did you mean `{near}`?"));
            let message = format!("{}{nearest}", problem.message);
            FileError { file: CONFIG_FILE.to_owned(), at: Some(problem.at), message, text: Arc::clone(&shared) }
        }));
        return (text, None);
    }
    let config = read_toml(CONFIG_FILE, &text).map_err(|e| errors.push(e)).ok();
    (text, config)
}

/// The texts of the definition's files.
fn read_texts(root: &Path, errors: &mut Vec<FileError>) -> BTreeMap<FileKey, String> {
    let names = definition_files(root).unwrap_or_else(|error| {
        errors.push(error);
        Vec::new()
    });
    let read = |name: &String| {
        let stem = name.trim_end_matches(".toml");
        let key = if stem == "app" { FileKey::App } else { FileKey::Entity(stem.to_owned()) };
        let text = read_text(root, &key.path());
        (key, text)
    };
    let mut texts = BTreeMap::new();
    for (key, text) in names.par_iter().map(read).collect::<Vec<_>>() {
        match text {
            Ok(text) => texts.extend(text.map(|text| (key, text))),
            Err(error) => errors.push(error),
        }
    }
    texts
}

/// The definition that these texts say, but for entities that aren't opened.
fn read_definition(texts: &BTreeMap<FileKey, String>, asleep: Asleep, errors: &mut Vec<FileError>) -> Tree {
    // Parsing takes the longest of all that opening does.
    let open: Vec<(&FileKey, &String)> = texts.iter().filter(|(file, _)| !asleep.contains(file.name())).collect();
    let parsed: Vec<_> = open.into_par_iter().map(|(file, text)| (file, text, parse(text))).collect();
    let mut tree = Tree { asleep, ..Tree::default() };
    for (file, text, parsed) in parsed {
        match parsed {
            Ok(node) => tree.files.insert(file.clone(), node),
            Err(first) => {
                let mut all = crate::toml::errors(text);
                if all.is_empty() {
                    all.push(first);
                }
                let shared: Arc<str> = text.as_str().into();
                errors.extend(all.into_iter().map(|error| toml_error(file.path(), &shared, error)));
            }
        }
    }
    tree
}

/// The definition's files, by name. Without their folder there is no definition, which is something else than an empty one.
pub(crate) fn definition_files(root: &Path) -> Result<Vec<String>, FileError> {
    let failed = |message: String| FileError::new(format!("{DEFINITION}/"), message);
    match folder::list(root, DEFINITION) {
        Ok(Some(names)) => Ok(names.into_iter().filter(|n| n.ends_with(".toml") && !n.starts_with('.')).collect()),
        Ok(None) => Err(failed("the folder is missing: the definition's files belong there".to_owned())),
        Err(refused) => Err(failed(refused.to_string())),
    }
}

/// The definition's folder.
const DEFINITION: &str = "app";
