//! Reading the files of a workspace, with the place of what can't be read.

use crate::folder;
use crate::toml::parse;
use std::path::Path;
use std::sync::Arc;
use ysomorph_core::definition::{At, Value};

/// A file that can't be read.
#[derive(Debug, Clone)]
pub struct FileError {
    /// Relative to the workspace.
    pub file: String,
    /// Where in it.
    pub at: Option<At>,
    /// What is wrong.
    pub message: String,
    /// Its text, to quote the place.
    pub text: Arc<str>,
}

impl FileError {
    /// What is wrong with a file as a whole.
    pub fn new(file: impl Into<String>, message: impl Into<String>) -> FileError {
        FileError { file: file.into(), at: None, message: message.into(), text: "".into() }
    }
}

/// Reads a text file; what isn't there is `None`.
pub(crate) fn read_text(root: &Path, file: &str) -> Result<Option<String>, FileError> {
    let failed = |message: String| FileError::new(file.to_owned(), message);
    match folder::read(root, file) {
        Ok(Some(bytes)) => String::from_utf8(bytes).map(Some).map_err(|_| failed("it isn't UTF-8 text".to_owned())),
        Ok(None) => Ok(None),
        Err(refused) => Err(failed(refused.to_string())),
    }
}

/// The names in a folder of the workspace; one that isn't there has none.
pub(crate) fn list_folder(root: &Path, folder: &str) -> Result<Vec<String>, FileError> {
    let failed = |message: String| FileError::new(format!("{folder}/"), message);
    folder::list(root, folder).map(Option::unwrap_or_default).map_err(|refused| failed(refused.to_string()))
}

/// What is said of a file of the state that a newer program wrote.
pub(crate) fn newer(format: u64, known: u32) -> String {
    format!("it has format {format}, this program knows {known}: use a newer ysomorph")
}

/// Reads a file of the state into a type. Where it names a format, it has to be one this program knows.
pub(crate) fn read_state<T: serde::de::DeserializeOwned>(file: &str, text: &str) -> Result<T, FileError> {
    if let Ok(parsed) = parse(text)
        && let Some(Value::Int(format)) = parsed.get("format").map(|node| &node.value)
        && *format > 1
    {
        let message = newer(u64::try_from(*format).unwrap_or_default(), 1);
        return Err(FileError::new(file.to_owned(), message));
    }
    read_toml(file, text)
}

/// Reads a file into a type, with the place of what doesn't fit.
pub(crate) fn read_toml<T: serde::de::DeserializeOwned>(file: &str, text: &str) -> Result<T, FileError> {
    ::toml::from_str(text).map_err(|error| {
        let offset = error.span().map_or(0, |s| s.start);
        let before = text.get(..offset).unwrap_or_default();
        let number = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        let line_start = before.rfind('\n').map_or(0, |at| at + 1);
        let at = At { line: number(before.matches('\n').count() + 1), column: number(before[line_start..].chars().count() + 1) };
        FileError { file: file.to_owned(), at: Some(at), message: error.message().trim().replace('\n', " "), text: text.into() }
    })
}
