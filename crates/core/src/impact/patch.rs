//! Hand-written code under the new names, where that is certain: SQL whose every name is resolved.

use super::ImpactInput;
use super::code::{Hit, SqlTexts};
use crate::changes::Change;
use crate::name::same;
use crate::rename::RenameMap;
use crate::sql::{self, Analysis, Scope, Target, requoted, without_placeholders};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// Most passes over one statement: a table's new name makes its columns known, and a column's nothing more.
const PASSES: usize = 4;

/// A file with its text under the new names.
#[derive(Debug, Clone, PartialEq)]
pub struct Rewritten {
    /// The text before.
    pub before: Arc<str>,
    /// The text after.
    pub after: String,
    /// What was renamed in it.
    pub changes: Vec<Change>,
}

type Regions<'h> = (&'h Hit, BTreeSet<(usize, usize)>);

/// The files, by name, in which old names are rewritten with certainty. Places that aren't certain stay as they are.
pub fn rewritten(input: ImpactInput<'_>, hits: &[Hit]) -> BTreeMap<String, Rewritten> {
    let mut texts = SqlTexts::new(input.changed.engine);
    // By file: one of its hits, for the text, and where its SQL with hits begins and ends.
    let mut regions: BTreeMap<&str, Regions<'_>> = BTreeMap::new();
    for hit in hits {
        // What isn't UTF-8 can't be written back as it was.
        if hit.text.contains(char::REPLACEMENT_CHARACTER) {
            continue;
        }
        if let Some(range) = texts.around(hit) {
            regions.entry(&hit.file).or_insert_with(|| (hit, BTreeSet::new())).1.insert((range.start, range.end));
        }
    }
    let names = input.comparison.presumed();
    let mut files = BTreeMap::new();
    for (file, (hit, ranges)) in regions {
        let (mut after, mut changes) = (hit.text.to_string(), BTreeSet::new());
        for (start, end) in ranges.into_iter().rev() {
            let Some(text) = hit.text.get(start..end) else { continue };
            let script = file.to_ascii_lowercase().ends_with(".sql");
            if let Some((new, used)) = statement(text, script, &names, input) {
                after.replace_range(start..end, &new);
                changes.extend(used);
            }
        }
        if after != *hit.text {
            let changes = changes.into_iter().filter_map(|at: usize| input.comparison.changes.get(at).cloned()).collect();
            files.insert(file.to_owned(), Rewritten { before: Arc::clone(&hit.text), after, changes });
        }
    }
    files
}

/// One statement under the new names, and the changes that it met; nothing where a name is left that isn't certain.
fn statement(text: &str, script: bool, names: &RenameMap, input: ImpactInput<'_>) -> Option<(String, BTreeSet<usize>)> {
    let (mut new, mut used) = (text.to_owned(), BTreeSet::new());
    let analyse = |text: &str| sql::analyse(&without_placeholders(text), Scope::Statement { table: "" }, input.changed);
    for _ in 0..PASSES {
        let analysis = analyse(&new);
        let pieces = pieces(&new, script, &analysis, names, input)?;
        if pieces.is_empty() {
            break;
        }
        for (at, written, change) in pieces.into_iter().rev() {
            new.replace_range(at, &written);
            used.insert(change);
        }
    }
    let last = analyse(&new);
    let settled = last.error.is_none() && last.certain && last.missing().next().is_none();
    (settled && !used.is_empty()).then_some((new, used))
}

/// What to write in the place of old names, and which change it is for. `None` where a name could be of several changes.
fn pieces(
    text: &str,
    script: bool,
    analysis: &Analysis,
    names: &RenameMap,
    input: ImpactInput<'_>,
) -> Option<Vec<(Range<usize>, String, usize)>> {
    let mut pieces: Vec<(Range<usize>, String, usize)> = Vec::new();
    for named in &analysis.names {
        let Target::Missing { table, name, is_table } = &named.target else { continue };
        let fits = |change: &Change| match (&change.column, is_table) {
            (None, true) => same(&change.table, name),
            (Some(column), false) => {
                let now = names.table(&change.table);
                same(column, name) && table.as_ref().is_none_or(|t| same(t, now) || same(t, &change.table))
            }
            _ => false,
        };
        let mut fitting = input.comparison.changes.iter().enumerate().filter(|(_, c)| c.to.is_some() && fits(c));
        let Some((at, change)) = fitting.next() else { continue };
        if fitting.next().is_some() {
            return None;
        }
        let old = text.get(named.at.clone())?;
        let quote = old.chars().next().filter(|c| "\"`[".contains(*c));
        let new = requoted(change.to.as_deref()?, quote, input.changed.engine);
        // A quote that wasn't there could end the string that the SQL stands in.
        if !script && quote.is_none() && new.chars().any(|c| !(c.is_alphanumeric() || c == '_')) {
            return None;
        }
        pieces.push((named.at.clone(), new, at));
    }
    pieces.dedup_by(|a, b| a.0 == b.0);
    Some(pieces)
}
