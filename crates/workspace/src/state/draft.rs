//! `.ysomorph/draft/`: the stored draft as files like the definition's, and its marks.

use super::MARKS;
use crate::open::{FileError, list_folder, read_state, toml_error};
use crate::toml::{parse, render_file, render_value};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use ysomorph_core::definition::{FileKey, Node};
use ysomorph_core::merge::{Element, Stored};

const FOLDER: &str = ".ysomorph/draft/app";

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct MarksFile {
    /// Version of the format; a newer one is refused before it is read.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    format: Option<u32>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    start_role: Option<String>,
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    later: BTreeSet<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    mark: Vec<Mark>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Mark {
    element: String,
    /// The value as TOML; absent where the key is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    value: Option<String>,
}

/// The draft's files on disk.
pub(super) fn files(root: &Path) -> Result<Vec<String>, FileError> {
    let names = list_folder(root, FOLDER)?;
    Ok(names.into_iter().filter(|n| n.ends_with(".toml")).map(|n| format!("{FOLDER}/{n}")).collect())
}

pub(super) fn read(texts: &BTreeMap<String, String>) -> Result<Stored, FileError> {
    let mut stored = Stored::default();
    let parsed = |(file, text): (&String, &String)| {
        let name = file.strip_prefix(FOLDER).and_then(|n| n.strip_prefix('/')).and_then(|n| n.strip_suffix(".toml"))?;
        let key = if name == "app" { FileKey::App } else { FileKey::Entity(name.to_owned()) };
        Some(parse(text).map(|parsed| (key, parsed.node)).map_err(|e| toml_error(file, text, &e)))
    };
    let files: Vec<(&String, &String)> = texts.iter().collect();
    stored.tree.files = files.into_par_iter().filter_map(parsed).collect::<Result<Vec<_>, _>>()?.into_iter().collect();
    if let Some(text) = texts.get(MARKS) {
        let marks: MarksFile = read_state(MARKS, text)?;
        stored.start_role = marks.start_role;
        stored.later = marks.later;
        for mark in marks.mark {
            stored.marks.insert(Element::decode(&mark.element), mark.value.as_deref().and_then(read_value));
        }
    }
    Ok(stored)
}

pub(super) fn write(stored: &Stored) -> BTreeMap<String, String> {
    let mut files: BTreeMap<String, String> =
        stored.tree.files.iter().map(|(key, node)| (format!("{FOLDER}/{}.toml", key.name()), render_file(node))).collect();
    let marks = stored.marks.iter().map(|(element, value)| Mark { element: element.encode(), value: value.as_ref().map(render_value) });
    let file = MarksFile { format: Some(1), start_role: stored.start_role.clone(), later: stored.later.clone(), mark: marks.collect() };
    files.insert(MARKS.to_owned(), toml_edit::ser::to_string_pretty(&file).unwrap_or_default());
    files
}

/// Reads a value written by [`render_value`].
pub(super) fn read_value(text: &str) -> Option<Node> {
    parse(&format!("v = {text}")).ok()?.node.get("v").cloned()
}
