//! `.ysomorph/`: the accepted schema, the kept text, and what merges left to a person.

pub(crate) mod follow_ups;

use crate::files::{FileError, read_text};
use crate::joined;
use crate::kept::{INDEX, KNOWN, Kept, Stored, Was};
use crate::merges;
use follow_ups::{FOLLOW_UPS, FollowUp};
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::definition::FileKey;
use ysomorph_core::merge::Identities;
use ysomorph_core::schema::Schema;

/// The accepted schema's file.
pub(crate) const ACCEPTED: &str = ".ysomorph/accepted.json";

/// All of it.
#[derive(Debug, Clone, Default)]
pub(crate) struct State {
    pub accepted: Schema,
    /// What is kept of the definition's files.
    pub kept: Stored,
    /// What merges left to a person.
    pub follow_ups: Vec<FollowUp>,
    /// The files as they were read: both sides of a conflict together.
    pub read: BTreeMap<String, String>,
    /// The files in which version control had left a conflict, as they stand in the folder.
    pub joined: BTreeMap<String, String>,
}

impl State {
    /// A file as it stands in the folder.
    pub fn text(&self, path: &str) -> Option<&String> {
        self.joined.get(path).or_else(|| self.read.get(path))
    }

    /// Reads its files.
    pub fn texts(root: &Path, errors: &mut Vec<FileError>) -> Texts {
        let kept = Stored::files_in(root).unwrap_or_else(|error| {
            errors.push(error);
            Vec::new()
        });
        let files = [ACCEPTED, FOLLOW_UPS].into_iter().chain(kept.iter().map(String::as_str));
        Texts::load(root, files, errors)
    }

    /// What its files say: of what is kept, the lists of files that are open.
    pub fn of(texts: Texts, accepted: Schema, is_open: &dyn Fn(&FileKey) -> bool) -> Result<State, Vec<FileError>> {
        let Texts { read, joined } = texts;
        let mut errors = Vec::new();
        let mut state = State { accepted, joined, ..State::default() };
        match Stored::read(&read, is_open) {
            Ok(kept) => state.kept = kept,
            Err(error) => errors.push(error),
        }
        if let Some(text) = read.get(FOLLOW_UPS) {
            match follow_ups::read(text) {
                Ok(list) => state.follow_ups = list,
                Err(error) => errors.push(error),
            }
        }
        state.read = read;
        if errors.is_empty() { Ok(state) } else { Err(errors) }
    }
}

/// Files of the state.
#[derive(Debug, Default)]
pub(crate) struct Texts {
    /// Both sides of a conflict together.
    pub read: BTreeMap<String, String>,
    /// As they stand, where version control had left a conflict.
    pub joined: BTreeMap<String, String>,
}

impl Texts {
    pub fn load<'f>(root: &Path, files: impl Iterator<Item = &'f str>, errors: &mut Vec<FileError>) -> Texts {
        let mut texts = Texts::default();
        for file in files {
            match read_text(root, file) {
                Ok(text) => texts.read.extend(text.map(|text| (file.to_owned(), text))),
                Err(error) => errors.push(error),
            }
        }
        texts.joined = join(root, &mut texts.read, errors);
        texts
    }
}

/// The accepted schema.
pub(crate) fn accepted_of(texts: &BTreeMap<String, String>, errors: &mut Vec<FileError>) -> Schema {
    let read = match texts.get(ACCEPTED) {
        Some(text) => Schema::from_snapshot(text).map_err(|error| error.to_string()),
        None => Err("it is missing: the accepted schema".to_owned()),
    };
    read.unwrap_or_else(|message| {
        errors.push(FileError::new(ACCEPTED.to_owned(), message));
        Schema::default()
    })
}

/// Brings both sides of conflicts together, and gives the files that have one as they stand.
fn join(root: &Path, texts: &mut BTreeMap<String, String>, errors: &mut Vec<FileError>) -> BTreeMap<String, String> {
    let mut joined = BTreeMap::new();
    let mut entries = None;
    for (path, text) in texts.iter_mut() {
        let Some(sides) = joined::sides(text) else { continue };
        joined.insert(path.clone(), text.clone());
        let both = match path.as_str() {
            FOLLOW_UPS => follow_ups::of_both(&sides),
            path if path == ACCEPTED || path == KNOWN => {
                let entries = entries.get_or_insert_with(|| merges::read_all(root).unwrap_or_default());
                joined::json_of_both(joined::base_of(entries, path), &sides).map_err(|e| e.to_string())
            }
            path if path == INDEX => Ok(joined::index_of_both(&sides)),
            _ => joined::list_of_both(&sides),
        };
        match both {
            Ok(both) => *text = both,
            Err(error) => {
                let message = format!("version control left a conflict here whose sides can't be read ({error}): take one side's file");
                errors.push(FileError::new(path.clone(), message));
            }
        }
    }
    joined
}

/// The files of a state and their texts.
pub(crate) fn files(
    accepted: &Schema,
    follow_ups: &[FollowUp],
    kept: &Kept,
    shown: &BTreeMap<FileKey, String>,
    known: &Identities,
    modes: &BTreeMap<String, u32>,
    was: &Was<'_>,
) -> BTreeMap<String, String> {
    let mut files = Stored::files(&kept.files, shown, known, modes, was);
    files.insert(ACCEPTED.to_owned(), accepted.to_snapshot());
    files.extend(follow_ups::write(follow_ups).map(|text| (FOLLOW_UPS.to_owned(), text)));
    files
}
