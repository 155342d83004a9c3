//! `.ysomorph/`: the accepted schema, the kept text, and what merges left to a person.

pub(crate) mod follow_ups;

use crate::kept::{Kept, Stored, Was};
use crate::open::{FileError, read_text};
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
        for file in [ACCEPTED, FOLLOW_UPS] {
            texts.extend(load(file).map(|text| (file.to_owned(), text)));
        }
        let kept = Stored::files_in(root);
        for name in kept.as_deref().unwrap_or_default() {
            texts.extend(load(name).map(|text| (name.clone(), text)));
        }
        errors.extend(kept.err());
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
        match Stored::read(&texts) {
            Ok(kept) => state.kept = kept,
            Err(error) => errors.push(error),
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
}

/// The files of a state and their texts.
pub(crate) fn files(
    accepted: &Schema,
    left: &[FollowUp],
    kept: &Kept,
    shown: &BTreeMap<FileKey, String>,
    known: &Identities,
    modes: &BTreeMap<String, u32>,
    was: &Was<'_>,
) -> BTreeMap<String, String> {
    let mut files = Stored::files(&kept.files, shown, known, modes, was);
    files.insert(ACCEPTED.to_owned(), accepted.to_snapshot());
    files.extend(follow_ups::write(left).map(|text| (FOLLOW_UPS.to_owned(), text)));
    files
}
