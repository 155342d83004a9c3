//! Making a workspace: configuration, drafted definition, accepted schema. Nothing is ever overwritten.

use crate::closed::without_secrets;
use crate::config::Config;
use crate::data_key::{DATA_KEY, IGNORE_FILE, IGNORED};
use crate::files::{FileError, list_folder, read_text, read_toml};
use crate::folder::{self, Before, Step, Transaction};
use crate::kept::{Kept, Was};
use crate::toml::{render_file, render_value};
use crate::write_error::WriteError;
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::definition::FileKey;
use ysomorph_core::draft::{Conventions, DraftInput, Explained, NamesInUse, explained};
use ysomorph_core::merge::Identities;
use ysomorph_core::schema::Schema;

/// Why nothing was made.
#[derive(Debug, thiserror::Error)]
pub enum StartError {
    /// There is something already.
    #[error("`{0}` is already there")]
    Exists(String),
    /// The configuration that is there can't be read.
    #[error("{}: {}", .0.file, .0.message)]
    Config(FileError),
    /// It couldn't be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// The role that a new definition is open to.
const ROLE: &str = "everyone";

/// What a new workspace is made with.
#[derive(Debug, Clone, Copy)]
pub struct Begin<'a> {
    /// Where the schema was read from, as the configuration keeps it.
    pub url: &'a str,
    /// The application's title.
    pub title: &'a str,
    /// The schemas read, home first.
    pub schemas: &'a [String],
    /// Patterns of tables that are read; none for all.
    pub include: &'a [String],
    /// Patterns of tables that aren't.
    pub exclude: &'a [String],
    /// What hashes of the data are made with, where the schema has some.
    pub data_key: Option<&'a str>,
    /// The text of a configuration to use instead of the default one; one that is there already stays as it is.
    pub config: Option<&'a str>,
}

/// Drafts a workspace for a schema and writes it.
pub fn start(root: &Path, begin: &Begin<'_>, schema: &Schema) -> Result<Explained, StartError> {
    let config_file = "ysomorph.toml";
    let there = read_text(root, config_file).map_err(StartError::Config)?;
    let is_kept = there.is_some() && there.as_deref() == begin.config;
    if there.is_some() && !is_kept {
        return Err(StartError::Exists(config_file.to_owned()));
    }
    let accepted = crate::state::ACCEPTED;
    if read_text(root, accepted).map_err(StartError::Config)?.is_some() {
        return Err(StartError::Exists(accepted.to_owned()));
    }
    if !list_folder(root, "app").map_err(StartError::Config)?.is_empty() {
        return Err(StartError::Exists("app/".to_owned()));
    }
    let text = begin.config.map_or_else(|| default_config(begin), str::to_owned);
    let config: Config = read_toml(config_file, &text).map_err(|e| {
        let told = without_secrets(vec![e], &text).pop();
        StartError::Config(told.unwrap_or_else(|| FileError::new(config_file, "it can't be read")))
    })?;
    let drafted = drafted(schema, &config.conventions, begin.title);
    let texts: BTreeMap<FileKey, String> = drafted.draft.tree.files.iter().map(|(file, node)| (file.clone(), render_file(node))).collect();
    let known = Identities { start_role: Some(ROLE.to_owned()), ..Identities::default() };
    let state = crate::state::files(schema, &[], &Kept::drafted(&texts), &texts, &known, &BTreeMap::new(), &Was::default());
    let mut steps = Vec::new();
    if !is_kept {
        steps.push(new_file(config_file, text));
    }
    steps.extend(texts.iter().map(|(file, text)| new_file(&file.path(), text.clone())));
    steps.extend(state.into_iter().map(|(path, text)| new_file(&path, text)));
    steps.push(new_file(IGNORE_FILE, IGNORED.to_owned()));
    steps.extend(begin.data_key.map(|key| Step { mode: Some(0o600), ..new_file(DATA_KEY, key.to_owned()) }));
    steps.push(new_file(".ysomorph/.gitattributes", "* -text\n".to_owned()));
    let new_folders: Vec<&str> = ["app", ".ysomorph"].into_iter().filter(|folder| !root.join(folder).exists()).collect();
    let written = folder::take(root)
        .map_err(WriteError::from)
        .and_then(|mut lock| Transaction { steps }.commit(root, &mut lock).map_err(WriteError::from));
    if let Err(error) = written {
        leave_nothing(root, &new_folders);
        return Err(error.into());
    }
    Ok(drafted)
}

/// Takes away the folders that a failed start made. Only empty ones go, so nothing of anybody's can be lost.
fn leave_nothing(root: &Path, new_folders: &[&str]) {
    for folder in new_folders {
        let folder = root.join(folder);
        let _ = std::fs::remove_file(folder.join("lock"));
        for inner in ["pending", "kept", "merges"] {
            let _ = std::fs::remove_dir(folder.join(inner));
        }
        let _ = std::fs::remove_dir(folder);
    }
}

fn drafted(schema: &Schema, conventions: &Conventions, title: &str) -> Explained {
    let names = NamesInUse::default();
    explained(schema, &DraftInput { conventions, names: &names, open_to: Some(ROLE), title, earlier: None })
}

fn new_file(path: &str, text: String) -> Step {
    Step { path: path.to_owned(), before: Before::Absent, new: Some(text), mode: None }
}

fn default_config(begin: &Begin<'_>) -> String {
    let text = |t: &str| render_value(&t.into());
    let list = |list: &[String]| format!("[{}]", list.iter().map(|t| text(t)).collect::<Vec<_>>().join(", "));
    let include = if begin.include.is_empty() { &["*".to_owned()] } else { begin.include };
    let schemas = if begin.schemas.is_empty() { String::new() } else { format!("schemas = {}\n", list(begin.schemas)) };
    format!(
        "format = 1\n\n[database]\nurl = {}\n{schemas}tables = {{ include = {}, exclude = {} }}\n\n[conventions]                      # how drafts are made; every key has a default\nlabel_case = \"sentence\"            # \"member_no\" → \"Member number\"\nlist_fields = 8                    # most fields on a drafted list page\n\n[merge]\nrenames = \"certain\"                # take certain renames, ask about likely ones; or \"ask\", \"likely\"\nnew_fields = \"ask\"                 # on a page laid out by hand; or \"append\", \"leave-out\"\n",
        text(begin.url),
        list(include),
        list(begin.exclude),
    )
}
