//! The files of a workspace as they stand, before its definition is opened.

use crate::config::Config;
use crate::decisions::{self, Answer};
use crate::files::{FileError, read_text, read_toml};
use crate::folder::{self, LockError};
use crate::opening::{Known, Unopened};
use crate::secret;
use crate::state::{State, Texts, accepted_of};
use crate::toml::parse;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use ysomorph_core::definition::{FileKey, validate_workspace};
use ysomorph_core::schema::Schema;

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

/// A workspace whose definition isn't open yet: what stands in its files, all of one moment.
#[derive(Debug)]
pub struct Closed {
    pub(crate) root: PathBuf,
    pub(crate) recovered: bool,
    pub(crate) config: Option<Config>,
    pub(crate) config_text: String,
    /// The texts of the definition's files.
    pub(crate) texts: BTreeMap<FileKey, String>,
    pub(crate) catalogues: BTreeMap<String, String>,
    pub(crate) answers: Vec<Answer>,
    pub(crate) state: Texts,
    pub(crate) accepted: Schema,
    /// What an index knows of the files.
    pub(crate) known: Option<Known>,
    pub(crate) errors: Vec<FileError>,
}

impl Closed {
    /// Reads the files in a folder, and the index where one is wanted. The one thing this may write is the rest of a write that was
    /// interrupted after its commit point. What can't be read of a file is told when the workspace is opened.
    ///
    /// # Errors
    /// Where there is no workspace, or an interrupted write couldn't be completed.
    pub fn read(root: &Path, with_index: bool) -> Result<Closed, OpenError> {
        if !is_workspace(root) {
            return Err(OpenError::NotAWorkspace(root.to_owned()));
        }
        Ok(folder::whole(root, |recovered| Closed::read_once(root, recovered, with_index))?)
    }

    fn read_once(root: &Path, recovered: bool, with_index: bool) -> Closed {
        let mut errors = Vec::new();
        let (config_text, config) = read_config(root, &mut errors);
        let read_state = || {
            let mut errors = Vec::new();
            let state = State::texts(root, &mut errors);
            let accepted = accepted_of(&state.read, &mut errors);
            (state, accepted, errors)
        };
        let ((texts, errors_of_texts), (state, accepted, errors_of_state)) = rayon::join(|| read_texts(root), read_state);
        errors.extend(errors_of_texts);
        let catalogues = crate::translations::read(root, &mut errors);
        let answers = decisions::read(root).unwrap_or_else(|e| {
            errors.push(e);
            Vec::new()
        });
        errors.extend(errors_of_state);
        let root = root.to_owned();
        let known = None;
        let mut files = Closed { root, recovered, config, config_text, texts, catalogues, answers, state, accepted, known, errors };
        if with_index && files.tell_all() {
            files.known = files.unopened().known();
        }
        files
    }

    /// The accepted schema.
    pub fn accepted(&self) -> &Schema {
        &self.accepted
    }

    /// Whether what is to be known of an entity stands in its own files: catalogues tell all labels, and two sides of a conflict may
    /// speak of different states.
    pub(crate) fn tell_all(&self) -> bool {
        self.errors.is_empty() && self.catalogues.is_empty() && self.state.joined.is_empty()
    }

    pub(crate) fn unopened(&self) -> Unopened<'_> {
        let Closed { root, config_text, texts, state, accepted, .. } = self;
        Unopened { root, config_text, texts, state: &state.read, accepted }
    }
}

/// Whether there is a configuration, be it one that can't be read.
fn is_workspace(root: &Path) -> bool {
    std::fs::symlink_metadata(root.join(CONFIG_FILE)).is_ok()
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
fn read_texts(root: &Path) -> (BTreeMap<FileKey, String>, Vec<FileError>) {
    let mut errors = Vec::new();
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
    (texts, errors)
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
