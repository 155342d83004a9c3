//! The core's edits on the texts of all files, checked against the tree they were made for.

use crate::toml::{ApplyError, Bytes, apply, parse};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::definition::{FileKey, Node, Tree, Value};
use ysomorph_core::merge::Edit;

/// Applies edits to texts; `bytes` gives and takes the parts' bytes.
pub(crate) fn apply_all(
    texts: &BTreeMap<FileKey, String>,
    edits: &[Edit],
    bytes: &mut BTreeMap<FileKey, Bytes>,
    expected: &Tree,
) -> Result<BTreeMap<FileKey, String>, ApplyError> {
    let mut texts = texts.clone();
    for edit in edits {
        let own = bytes.entry(edit.file.clone()).or_default();
        match apply(texts.get(&edit.file).map(String::as_str), edit, own)? {
            Some(text) => texts.insert(edit.file.clone(), text),
            None => texts.remove(&edit.file),
        };
    }
    let edited: BTreeSet<&FileKey> = edits.iter().map(|e| &e.file).collect();
    for (file, text) in texts.iter().filter(|(file, _)| edited.contains(file)) {
        let parsed = parse(text).map_err(|e| ApplyError::Broken(file.path(), e))?;
        let meant = expected.files.get(file).map(pruned).unwrap_or_default();
        if let Some(place) = first_difference(&meant, &pruned(&parsed.node), file.name()) {
            return Err(ApplyError::Otherwise(place));
        }
    }
    Ok(texts)
}

/// Without empty groups: a file can't tell a group without elements from none.
fn pruned(node: &Node) -> Node {
    let mut node = node.clone();
    if let Value::Table(entries) = &mut node.value {
        entries.retain(|e| !matches!(&e.node.value, Value::Table(inner) if inner.is_empty()));
    }
    node
}

/// The first place where two trees differ, as people read it.
fn first_difference(meant: &Node, is: &Node, path: &str) -> Option<String> {
    match (&meant.value, &is.value) {
        _ if meant == is => None,
        (Value::Table(entries), Value::Table(others)) => {
            let keys = entries.iter().chain(others).map(|e| e.key.as_str());
            let differs = keys.into_iter().find(|key| meant.get(key) != is.get(key))?;
            match (meant.get(differs), is.get(differs)) {
                (Some(a), Some(b)) => first_difference(a, b, &format!("{path}/{differs}")),
                _ => Some(format!("{path}/{differs}")),
            }
        }
        (Value::List(items), Value::List(others)) if items.len() == others.len() => {
            let at = items.iter().zip(others).position(|(a, b)| a != b)?;
            first_difference(items.get(at)?, others.get(at)?, &format!("{path}/{}", at + 1))
        }
        _ => Some(path.to_owned()),
    }
}
