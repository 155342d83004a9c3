//! Opening a workspace: its files as what they mean. Every file that can't be read is told at once, with its place.

use crate::closed::{Closed, OpenError};
use crate::config::Config;
use crate::decisions::Answer;
use crate::files::FileError;
use crate::joined;
use crate::kept::Kept;
use crate::opening::{Change, Known};
use crate::state::State;
use crate::toml::{ParseError, parse};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::OnceLock;
use ysomorph_core::definition::{Asleep, At, FileKey, Problem, Tree, validate};
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
    /// Whether the files that weren't opened say what is known of them, once it is asked.
    pub(crate) confirmed: OnceLock<Result<(), FileError>>,
    /// `decisions.toml`
    pub answers: Vec<Answer>,
    /// Whether an interrupted write was completed on opening.
    pub recovered: bool,
    /// What was known of the files, where not all of them were opened.
    pub(crate) known: Option<Known>,
}

impl Workspace {
    /// Opens the workspace in a folder. The one thing this may write is the rest of a write that was interrupted
    /// after its commit point.
    pub fn open(root: &Path) -> Result<Workspace, OpenError> {
        Workspace::of(Closed::read(root, false)?, None, None)
    }

    /// Opens a workspace of its files for a look at a change: entities that it doesn't reach stay closed, where it is known what they
    /// say: by an index, or else by one that is made now and kept for the next look. `also` are to be opened in any case;
    /// `with_follow_ups` for a merge, which looks at what earlier ones left.
    ///
    /// # Errors
    /// Every file that can't be read.
    pub fn open_for(files: Closed, changed: &Schema, also: &BTreeSet<String>, with_follow_ups: bool) -> Result<Workspace, OpenError> {
        Workspace::open_by(files, Change { changed, also, with_follow_ups, with_customised: false })
    }

    /// The same, to look at what people customised: of the rest nothing is needed but names.
    ///
    /// # Errors
    /// Every file that can't be read.
    pub fn open_customised(files: Closed) -> Result<Workspace, OpenError> {
        let accepted = files.accepted.clone();
        Workspace::open_by(files, Change { changed: &accepted, also: &BTreeSet::new(), with_follow_ups: false, with_customised: true })
    }

    fn open_by(mut files: Closed, change: Change<'_>) -> Result<Workspace, OpenError> {
        let mut read = None;
        if files.known.is_none()
            && files.tell_all()
            && !files.unopened().may_be_anywhere(change)
            && let Some(config) = &files.config
        {
            let mut errors = Vec::new();
            let tree = read_definition(&files.texts, Asleep::default(), &mut errors);
            files.known = if errors.is_empty() { files.unopened().known_at_first(&tree, config) } else { None };
            read = Some((tree, errors));
        }
        let asleep = files.known.as_ref().and_then(|known| files.unopened().asleep(known, change));
        Workspace::of(files, asleep, read)
    }

    /// Of files of which everything may have been read already.
    fn of(files: Closed, asleep: Option<Asleep>, read: Option<(Tree, Vec<FileError>)>) -> Result<Workspace, OpenError> {
        let Closed { root, recovered, config, config_text, texts, catalogues, answers, state, accepted, known, mut errors } = files;
        let known = known.filter(|_| asleep.is_some());
        let asleep = asleep.unwrap_or_default();
        let tree = match read {
            Some((mut tree, more)) => {
                errors.extend(more);
                tree.close(asleep);
                tree
            }
            None => read_definition(&texts, asleep, &mut errors),
        };
        let is_open = |file: &FileKey| !tree.asleep.contains(file.name());
        let state = State::of(state, accepted, &is_open).unwrap_or_else(|e| {
            errors.extend(e);
            State::default()
        });
        let errors = named_conflicts(errors);
        let (kept, problems, confirmed) = (OnceLock::new(), OnceLock::new(), OnceLock::new());
        match config {
            Some(config) if errors.is_empty() && config.format == 1 => Ok(Workspace {
                root,
                config,
                config_text,
                texts,
                catalogues,
                tree,
                state,
                kept,
                problems,
                confirmed,
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
    pub fn joined(&self) -> impl Iterator<Item = &String> {
        self.state.joined.keys()
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

    /// Reads the answers anew, after some were taken.
    ///
    /// # Errors
    /// Where they can't be read.
    pub fn reread_answers(&mut self) -> Result<(), FileError> {
        self.answers = crate::decisions::read(&self.root)?;
        Ok(())
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

fn toml_error(file: String, text: &Arc<str>, error: ParseError) -> FileError {
    FileError { file, at: Some(error.at), message: error.message, text: Arc::clone(text) }
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
