//! Making a workspace: configuration, drafted definition, accepted schema. Nothing is ever overwritten.

use crate::config::Config;
use crate::lock;
use crate::open::{FileError, read_text, read_toml};
use crate::plan::WriteError;
use crate::state::State;
use crate::toml::{render_file, render_value};
use crate::transaction::{Before, Step, Transaction};
use std::path::Path;
use ysomorph_core::definition::Tree;
use ysomorph_core::draft::{Conventions, Explained, NamesInUse, Plan, explained};
use ysomorph_core::merge::Stored;
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
    if root.join(".ysomorph/accepted.json").exists() {
        return Err(StartError::Exists(".ysomorph/accepted.json".to_owned()));
    }
    let has_files = std::fs::read_dir(root.join("app")).is_ok_and(|mut e| e.next().is_some());
    if has_files {
        return Err(StartError::Exists("app/".to_owned()));
    }
    let text = begin.config.map_or_else(|| default_config(begin), str::to_owned);
    let config: Config = read_toml(config_file, &text).map_err(StartError::Config)?;
    let drafted = drafted(schema, &config.conventions, begin.title);
    let stored = Stored { tree: drafted.draft.tree.clone(), start_role: Some(ROLE.to_owned()), ..Stored::default() };
    let state = State { accepted: schema.clone(), stored, ..State::default() };
    let mut steps = Vec::new();
    if !is_kept {
        steps.push(new_file(config_file, text));
    }
    steps.extend(drafted.draft.tree.files.iter().map(|(file, node)| new_file(&file.path(), render_file(node))));
    steps.extend(state.files().into_iter().map(|(path, text)| new_file(&path, text)));
    steps.push(new_file(".ysomorph/.gitignore", "lock\npending/\n".to_owned()));
    steps.push(new_file(".ysomorph/.gitattributes", "* -text\n".to_owned()));
    let _lock = lock::take(root).map_err(WriteError::from)?;
    Transaction { steps }.commit(root).map_err(WriteError::from)?;
    Ok(drafted)
}

fn drafted(schema: &Schema, conventions: &Conventions, title: &str) -> Explained {
    let names = NamesInUse::of(&Tree::default(), &Tree::default());
    explained(schema, &Plan { conventions, names: &names, open_to: Some(ROLE), title })
}

fn new_file(path: &str, text: String) -> Step {
    Step { path: path.to_owned(), before: Before::Absent, new: Some(text) }
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
