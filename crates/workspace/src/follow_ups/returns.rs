//! A database that is changed back: what a change left to people goes with the change, and its way back leaves nothing where
//! the definition is what it was.

use crate::files::FileError;
use crate::folder::digest;
use crate::merges::{self, HistoryEntry};
use crate::open::Workspace;
use crate::state::follow_ups::FollowUp;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::Change;
use ysomorph_core::definition::FileKey;
use ysomorph_core::impact::{self, Named, takes_back};
use ysomorph_core::merge::Outcome;
use ysomorph_core::name;

impl Workspace {
    /// Takes out what comes of changes that only take earlier ones back: where nobody did what an earlier one left to them, and
    /// where a file is to the byte what it was before the earlier change.
    pub(super) fn without_returns(
        &self,
        found: &mut Vec<impact::FollowUp>,
        outcome: &Outcome,
        texts: &BTreeMap<FileKey, String>,
    ) -> Result<(), FileError> {
        let is_of_change = |f: &impact::FollowUp| f.cause.is_some() && !f.finding.is_about_code();
        if !found.iter().any(is_of_change) {
            return Ok(());
        }
        let engine = outcome.accepted.engine;
        let taken = outcome.comparison.taken();
        let is_now = |(table, column): Named<'_>, (of_table, of_column): Named<'_>| {
            name::same(table, taken.table(of_table)) && same_column(column, of_column.map(|c| taken.column(of_table, c)))
        };
        // What the change itself had left in the same place: by the same rule, else by one that is about the same.
        let left_then = |f: &impact::FollowUp| {
            let takes_back = |first: &Change| f.cause.as_ref().is_some_and(|cause| takes_back(cause, first, engine, &is_now));
            let is_same = |e: &&FollowUp| {
                impact::place(&e.name, &e.rule) == f.place()
                    && family(&e.rule) == family(f.finding.rule)
                    && e.cause.as_ref().is_some_and(takes_back)
            };
            let mut then: Vec<&FollowUp> = self.state.follow_ups.iter().filter(is_same).collect();
            if then.iter().any(|e| e.name == f.name) {
                then.retain(|e| e.name == f.name);
            }
            then
        };
        // Also those that nobody closed aren't open where a person did something about them, or about a part of them.
        let open: BTreeSet<(String, String)> = match found.iter().any(|f| !left_then(f).is_empty()) {
            true => self.follow_ups_now(&[])?.still_open().map(|f| (f.name.clone(), f.message.clone())).collect(),
            false => BTreeSet::new(),
        };
        let former = outcome.known.former();
        let were_called = |table: &str, of_table: &str| {
            name::same(table, of_table)
                || former.iter().any(|f| f.column.is_none() && name::same(&f.table, table) && name::same(&f.name, of_table))
        };
        let was = |(table, column): Named<'_>, (of_table, of_column): Named<'_>| {
            let had = |column: &str, of: &str| {
                let is_it = |c: &Option<String>| c.as_deref().is_some_and(|c| name::same(c, column));
                former.iter().any(|f| name::same(&f.table, table) && is_it(&f.column) && name::same(&f.name, of))
            };
            were_called(table, of_table) && (same_column(column, of_column) || column.zip(of_column).is_some_and(|(c, of)| had(c, of)))
        };
        let entries = merges::read_all(&self.root)?;
        let returns = |f: &impact::FollowUp| {
            let (Some(cause), Some(entity)) = (&f.cause, &f.finding.entity) else { return false };
            let then = left_then(f);
            if !then.is_empty() {
                return then.iter().all(|e| open.contains(&(e.name.clone(), e.message.clone())));
            }
            let file = FileKey::Entity(entity.clone());
            let undone = entries.iter().filter(|e| e.changes.iter().any(|first| takes_back(cause, first, engine, &was)));
            texts.get(&file).is_some_and(|text| undone.rev().any(|e| had_before(e, &file.path(), text)))
        };
        found.retain(|f| !is_of_change(f) || !returns(f));
        Ok(())
    }
}

/// What a rule is about.
fn family(rule: &str) -> &str {
    rule.split('/').next().unwrap_or(rule)
}

fn same_column(a: Option<&str>, b: Option<&str>) -> bool {
    a.map(name::fold) == b.map(name::fold)
}

/// Whether a file had this text before an entry.
fn had_before(entry: &HistoryEntry, path: &str, text: &str) -> bool {
    match entry.files.iter().find(|f| f.path == path) {
        Some(file) => file.before.as_deref() == Some(text),
        None => entry.unwritten.get(path).is_some_and(|was| *was == digest(text)),
    }
}
