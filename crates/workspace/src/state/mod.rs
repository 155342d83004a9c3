//! `.ysomorph/`: the accepted schema, the stored draft with its marks, and what merges remember.

mod draft;
pub(crate) mod follow_ups;
mod set_aside;

use crate::open::{FileError, read_text};
use crate::toml::Bytes;
use follow_ups::{FOLLOW_UPS, FollowUp};
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::definition::FileKey;
use ysomorph_core::merge::{Memory, Stored};
use ysomorph_core::schema::Schema;

/// The accepted schema's file.
pub(crate) const ACCEPTED: &str = ".ysomorph/accepted.json";
/// Parts set aside.
pub(crate) const SET_ASIDE: &str = ".ysomorph/set-aside.toml";
/// The stored draft's marks.
pub(crate) const MARKS: &str = ".ysomorph/draft/marks.toml";

/// All of it.
#[derive(Debug, Clone, Default)]
pub(crate) struct State {
    pub accepted: Schema,
    pub stored: Stored,
    pub memory: Memory,
    /// The parts' bytes, by the file they belong to.
    pub bytes: BTreeMap<FileKey, Bytes>,
    /// The modes of the files that are away, by path.
    pub modes: BTreeMap<String, u32>,
    /// What merges left to a person.
    pub follow_ups: Vec<FollowUp>,
    /// The files as read.
    pub texts: BTreeMap<String, String>,
}

impl State {
    /// Reads it.
    pub fn read(root: &Path) -> Result<State, Vec<FileError>> {
        let mut state = State::default();
        let mut errors = Vec::new();
        let mut load = |file: &str| match read_text(root, file) {
            Ok(text) => text,
            Err(error) => {
                errors.push(error);
                None
            }
        };
        let mut texts: BTreeMap<String, String> = BTreeMap::new();
        for file in [ACCEPTED, SET_ASIDE, MARKS, FOLLOW_UPS] {
            texts.extend(load(file).map(|text| (file.to_owned(), text)));
        }
        let drafts = draft::files(root);
        for name in drafts.as_deref().unwrap_or_default() {
            texts.extend(load(name).map(|text| (name.clone(), text)));
        }
        errors.extend(drafts.err());
        match texts.get(ACCEPTED) {
            Some(text) => match Schema::from_snapshot(text) {
                Ok(schema) => state.accepted = schema,
                Err(error) => {
                    errors.push(FileError { file: ACCEPTED.to_owned(), at: None, message: error.to_string(), text: String::new() });
                }
            },
            None => errors.push(FileError {
                file: ACCEPTED.to_owned(),
                at: None,
                message: "it is missing: the accepted schema".to_owned(),
                text: String::new(),
            }),
        }
        match draft::read(&texts) {
            Ok(stored) => state.stored = stored,
            Err(error) => errors.push(error),
        }
        if let Some(text) = texts.get(SET_ASIDE) {
            match set_aside::read(text) {
                Ok((memory, bytes, modes)) => (state.memory, state.bytes, state.modes) = (memory, bytes, modes),
                Err(error) => errors.push(error),
            }
        }
        if let Some(text) = texts.get(FOLLOW_UPS) {
            match follow_ups::read(text) {
                Ok(list) => state.follow_ups = list,
                Err(error) => errors.push(error),
            }
        }
        state.texts = texts;
        if errors.is_empty() { Ok(state) } else { Err(errors) }
    }

    /// Its files and their texts.
    pub fn files(&self) -> BTreeMap<String, String> {
        let mut files = draft::write(&self.stored);
        files.insert(ACCEPTED.to_owned(), self.accepted.to_snapshot());
        if let Some(text) = set_aside::write(&self.memory, &self.bytes, &self.modes) {
            files.insert(SET_ASIDE.to_owned(), text);
        }
        files.extend(follow_ups::write(&self.follow_ups).map(|text| (FOLLOW_UPS.to_owned(), text)));
        files
    }
}
