//! What a workspace has beside the definition and the schemas.

use crate::files::FileError;
use crate::open::Workspace;
use crate::{secret, translations};
use std::collections::BTreeMap;
use ysomorph_core::impact::{self, Around};
use ysomorph_core::merge::Outcome;

impl Workspace {
    /// The labels of a language, by the element's path.
    ///
    /// # Errors
    /// Where there is no such catalogue.
    pub fn translations(&self, language: &str) -> Result<BTreeMap<String, String>, FileError> {
        let file = format!("app/labels.{language}.po");
        match self.catalogues.get(&file) {
            Some(text) => Ok(translations::labels(text)),
            None => Err(FileError::new(file, "there is no such catalogue")),
        }
    }

    /// What rules look at beside the definition and the schemas.
    pub fn around(&self) -> Around {
        Around {
            conventions: self.config.conventions.clone(),
            translations: translations::all(&self.catalogues),
            passwords: secret::locations(&self.config_text),
            ..Around::default()
        }
    }

    /// The same for a change that a merge was worked out for: with the hand-written code that names what is gone. And what couldn't be searched,
    /// in words.
    ///
    /// # Errors
    /// Where a root of the code leads out of the workspace.
    pub fn around_change(&self, outcome: &Outcome) -> Result<(Around, Vec<String>), FileError> {
        let sought = impact::code::sought(&outcome.comparison);
        let (code, troubles) = self.find_in_code(sought.keys().map(String::as_str))?;
        Ok((Around { code, renamed_fields: outcome.renamed_fields.clone(), ..self.around() }, troubles))
    }
}
