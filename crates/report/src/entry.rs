//! An entry of the history, for people.

use crate::{FileDiff, PartReport};
use ysomorph_core::changes::Change;

/// Something that was written.
#[derive(Debug, Clone, Default)]
pub struct EntryReport {
    /// Its name.
    pub id: String,
    /// When.
    pub when: String,
    /// Who, where it is known.
    pub who: Option<String>,
    /// Whether a later undo took it back.
    pub taken_back: bool,
    /// The entries it took back.
    pub undoes: Vec<String>,
    /// What changed in the database.
    pub changes: Vec<Change>,
    /// What was answered.
    pub answers: Vec<AnswerReport>,
    /// What was hidden.
    pub set_aside: Vec<PartReport>,
    /// What was shown again.
    pub restored: Vec<PartReport>,
    /// What was left to people.
    pub left: Vec<PartReport>,
    /// The files, before and after.
    pub files: Vec<FileDiff>,
    /// The files whose text after isn't known.
    pub untold: Vec<String>,
}

/// An answer that a merge went by.
#[derive(Debug, Clone, Default)]
pub struct AnswerReport {
    /// The question.
    pub question: String,
    /// The choice.
    pub choice: String,
    /// Who took it.
    pub who: Option<String>,
    /// When.
    pub when: Option<String>,
    /// Why.
    pub reason: Option<String>,
}
