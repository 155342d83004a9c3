//! What a workspace knows of its database: what changed in it is told without opening the definition.

use crate::closed::OpenError;
use crate::data_key::DATA_KEY;
use crate::decisions;
use crate::files::read_text;
use crate::folder;
use crate::kept::{KNOWN, Stored};
use crate::state::{ACCEPTED, Texts, accepted_of};
use std::collections::BTreeMap;
use std::path::Path;
use ysomorph_core::merge::Identities;
use ysomorph_core::schema::Schema;

/// The accepted schema and what earlier merges and answers say of it.
#[derive(Debug, Clone, Default)]
pub struct KnownDatabase {
    /// The accepted schema.
    pub accepted: Schema,
    /// What earlier merges know of it.
    pub known: Identities,
    /// Answers that wait for the next merge, by question name.
    pub answers: BTreeMap<String, String>,
    /// What hashes of the data are made with, if any were kept here.
    pub data_key: Option<String>,
    /// Whether an interrupted write was completed first: the one write this may make.
    pub recovered: bool,
}

impl KnownDatabase {
    /// Reads it from the workspace in a folder.
    ///
    /// # Errors
    /// Every file that can't be read.
    pub fn read(root: &Path) -> Result<KnownDatabase, OpenError> {
        folder::whole(root, |recovered| {
            let mut errors = Vec::new();
            let texts = Texts::load(root, [ACCEPTED, KNOWN].into_iter(), &mut errors);
            let accepted = accepted_of(&texts.read, &mut errors);
            let known = Stored::known_of(&texts.read).unwrap_or_else(|error| {
                errors.push(error);
                Identities::default()
            });
            let answers = decisions::read(root).unwrap_or_else(|error| {
                errors.push(error);
                Vec::new()
            });
            let data_key = read_text(root, DATA_KEY).unwrap_or_else(|error| {
                errors.push(error);
                None
            });
            let answers = answers.into_iter().map(|a| (a.question, a.choice)).collect();
            if errors.is_empty() {
                Ok(KnownDatabase { accepted, known, answers, data_key, recovered })
            } else {
                Err(OpenError::Files(errors))
            }
        })?
    }
}

/// The accepted schema's text, where a schema is that one word for word and no answer is waiting: then nothing changed, and nothing
/// else needs reading. What is in doubt or can't be read gives nothing.
pub fn as_accepted(root: &Path, schema: &Schema) -> Option<String> {
    folder::at_rest(root, || {
        let accepted = read_text(root, ACCEPTED).ok()??;
        let no_answers = decisions::read(root).ok()?.is_empty();
        (no_answers && schema.is_word_for_word(&accepted)).then_some(accepted)
    })
}
