//! Hand-written code: which names to look for in it, and what was found.

use crate::changes::{Change, ChangeKind, Comparison};
use crate::name;
use crate::schema::Engine;
use crate::sql;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// A word found in a file of hand-written code.
#[derive(Debug, Clone)]
pub struct Hit {
    /// The file, relative to the workspace.
    pub file: String,
    /// Its whole text.
    pub text: Arc<str>,
    /// The byte the word starts at.
    pub offset: usize,
    /// Its line, from 1.
    pub line: u32,
    /// Its column in characters, from 1.
    pub column: u32,
    /// The word, as written there.
    pub word: String,
}

/// Where SQL stands in files of code; scripts are taken apart once.
pub(super) struct SqlTexts<'h> {
    engine: Engine,
    /// By script.
    statements: BTreeMap<&'h str, Vec<Range<usize>>>,
}

impl<'h> SqlTexts<'h> {
    /// For code that speaks to this engine.
    pub fn new(engine: Engine) -> SqlTexts<'h> {
        SqlTexts { engine, statements: BTreeMap::new() }
    }

    /// The SQL a word stands in: a statement of a script, or a string literal of a program.
    pub fn around(&mut self, hit: &'h Hit) -> Option<Range<usize>> {
        if !hit.file.to_ascii_lowercase().ends_with(".sql") {
            return sql::literal_at(&hit.text, hit.offset);
        }
        let statements = self.statements.entry(&hit.file).or_insert_with(|| sql::statements(&hit.text, self.engine));
        sql::statement_at(statements, hit.offset)
    }
}

/// The names to look for, in the spellings that code uses, with the changes that took them away.
pub fn sought(comparison: &Comparison) -> BTreeMap<String, Vec<usize>> {
    let mut sought: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, change) in comparison.changes.iter().enumerate() {
        for spelling in lost_name(change).map(spellings).unwrap_or_default() {
            sought.entry(spelling).or_default().push(at);
        }
    }
    sought
}

/// The name that a change took away.
pub(super) fn lost_name(change: &Change) -> Option<&str> {
    match change.kind {
        kind if kind.loses_a_name() => Some(change.column.as_deref().unwrap_or_else(|| name::split_qualified(&change.table).1)),
        ChangeKind::RoutineDropped => change.object.as_deref().and_then(|object| object.split('(').next()),
        _ => None,
    }
}

/// A name as is, and as code spells it: `hiveNo`, `HiveNo`, `HIVE_NO`, `hive-no`.
pub(super) fn spellings(name: &str) -> Vec<String> {
    let words = name::words(name);
    let capital = |word: &String| {
        let mut letters = word.chars();
        letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
    };
    let pascal: String = words.iter().map(capital).collect();
    let camel: String = words.iter().take(1).cloned().chain(words.iter().skip(1).map(capital)).collect();
    let mut all = vec![name.to_owned(), camel, pascal, words.join("_").to_uppercase(), words.join("-"), words.join("_")];
    all.retain(|spelling| !spelling.is_empty());
    all.sort();
    all.dedup();
    all
}

/// Whether a text has a name in one of the spellings, as a whole word.
pub(super) fn mentions(text: &str, name: &str) -> bool {
    spellings(name).iter().any(|spelling| {
        text.match_indices(spelling.as_str()).any(|(at, found)| {
            let part = |c: char| c.is_alphanumeric() || c == '_';
            let before = text[..at].chars().next_back().is_some_and(part);
            let after = text[at + found.len()..].chars().next().is_some_and(part);
            !before && !after
        })
    })
}

#[cfg(test)]
mod tests {
    #[test]
    fn names_are_spelled_as_code_spells_them() {
        assert_eq!(super::spellings("hive_no"), ["HIVE_NO", "HiveNo", "hive-no", "hiveNo", "hive_no"]);
        assert_eq!(super::spellings("tag"), ["TAG", "Tag", "tag"]);
        for (text, found) in [("row.hiveNo", true), ("row.hiveNot", false), ("my_hive_no", false), ("'hive-no'", true)] {
            assert_eq!(super::mentions(text, "hive_no"), found, "{text}");
        }
    }
}
