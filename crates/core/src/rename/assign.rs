//! Finds renames: certain ones first, then the best assignment over all scored pairs at once.
//!
//! The assignment is the maximum-weight bipartite matching (Kuhn–Munkres), so that one good pair can't
//! steal the partner of a better one.

use super::evidence::{Evidence, Known, RenamePolicy, question};
use super::map::RenameMap;
use super::score::{self, CLOSE, Scored, WORTH_ASKING};
use crate::name;
use crate::schema::{Schema, Table};
use pathfinding::kuhn_munkres::kuhn_munkres;
use pathfinding::matrix::Matrix;

/// One rename, or one lost name with several possible new ones.
#[derive(Debug, Clone, PartialEq)]
pub struct Rename {
    /// The table by its accepted name.
    pub table: String,
    /// The column by its accepted name; absent when the table itself was renamed.
    pub column: Option<String>,
    /// The new name believed; absent where candidates are too close to presume one.
    pub to: Option<String>,
    /// Why.
    pub evidence: Evidence,
    /// Whether the merge goes by it: certain, answered, or taken by policy.
    pub taken: bool,
    /// All candidates worth asking about, the most likely first.
    pub candidates: Vec<String>,
}

impl Rename {
    /// The name of the question about it.
    pub fn question(&self) -> String {
        question(&self.table, self.column.as_deref())
    }
}

/// All renames between two schemas: of tables, then of columns of tables that stayed or were renamed.
pub fn find_renames(accepted: &Schema, changed: &Schema, known: &Known) -> Vec<Rename> {
    let mut renames = table_renames(accepted, changed, known);
    let mut map = RenameMap::default();
    for rename in &renames {
        if let Some(to) = &rename.to {
            map.rename_table(&rename.table, to);
        }
    }
    for before in &accepted.tables {
        // References must compare by their present names, or every column that points at a renamed table looks different.
        let carried = map.applied_to_table(before);
        if let Some(after) = changed.table(&carried.name) {
            renames.extend(column_renames(&before.name, &carried, after, known));
        }
    }
    renames
}

fn table_renames(accepted: &Schema, changed: &Schema, known: &Known) -> Vec<Rename> {
    let lost: Vec<&Table> =
        accepted.tables.iter().filter(|t| changed.table(&t.name).is_none() || is_certain_source(known, &t.name, None)).collect();
    let new: Vec<&Table> =
        changed.tables.iter().filter(|t| accepted.table(&t.name).is_none() || is_certain_target(known, None, &t.name)).collect();
    let scored = |a: &Table, b: &Table| score::tables(a, b);
    let returns = |b: &Table| known.table_returns(&b.name);
    match_pairs(&lost, &new, known, &Subject { name: |t: &Table| t.name.clone(), table: None, scored: &scored, returns: &returns })
}

fn column_renames(old_table: &str, before: &Table, after: &Table, known: &Known) -> Vec<Rename> {
    let lost: Vec<_> =
        before.columns.iter().filter(|c| after.column(&c.name).is_none() || is_certain_source(known, old_table, Some(&c.name))).collect();
    let new: Vec<_> =
        after.columns.iter().filter(|c| before.column(&c.name).is_none() || is_certain_target(known, Some(old_table), &c.name)).collect();
    let scored = |a: &crate::schema::Column, b: &crate::schema::Column| score::columns(before, a, after, b);
    let returns = |b: &crate::schema::Column| known.column_returns(&before.name, &b.name);
    match_pairs(
        &lost,
        &new,
        known,
        &Subject { name: |c: &crate::schema::Column| c.name.clone(), table: Some(old_table), scored: &scored, returns: &returns },
    )
}

/// What is being matched, tables or the columns of one table.
struct Subject<'a, T> {
    name: fn(&T) -> String,
    table: Option<&'a str>,
    scored: &'a dyn Fn(&T, &T) -> Scored,
    returns: &'a dyn Fn(&T) -> bool,
}

impl<T> Subject<'_, T> {
    fn rename(&self, lost: &T, to: Option<String>, evidence: Evidence, taken: bool, candidates: Vec<String>) -> Rename {
        let lost = (self.name)(lost);
        match self.table {
            Some(table) => Rename { table: table.to_owned(), column: Some(lost), to, evidence, taken, candidates },
            None => Rename { table: lost, column: None, to, evidence, taken, candidates },
        }
    }

    fn question(&self, lost: &T) -> String {
        let lost = (self.name)(lost);
        match self.table {
            Some(table) => question(table, Some(&lost)),
            None => question(&lost, None),
        }
    }

    fn certain(&self, known: &Known, lost: &T) -> Vec<(String, String)> {
        let lost = (self.name)(lost);
        match self.table {
            Some(table) => certain(known, table, Some(&lost)),
            None => certain(known, &lost, None),
        }
    }
}

fn match_pairs<T>(lost: &[&T], new: &[&T], known: &Known, subject: &Subject<'_, T>) -> Vec<Rename> {
    let mut found = Vec::new();
    let mut free_lost: Vec<&T> = Vec::new();
    let mut free_new: Vec<&T> = new.to_vec();
    let take = |free_new: &mut Vec<&T>, to: &str| -> Option<String> {
        let at = free_new.iter().position(|n| name::same(&(subject.name)(n), to))?;
        Some((subject.name)(free_new.remove(at)))
    };
    for &old in lost {
        let answer = known.answers.get(&subject.question(old));
        if answer.is_some_and(|a| a == "separate") {
            let candidates = offered(old, &free_new, subject).into_iter().map(|(_, n)| n).collect();
            found.push(subject.rename(old, None, Evidence::Certain { reasons: vec!["answered: separate".to_owned()] }, true, candidates));
            continue;
        }
        if let Some(to) = answer.and_then(|a| take(&mut free_new, a)) {
            found.push(subject.rename(
                old,
                Some(to.clone()),
                Evidence::Certain { reasons: vec!["your answer".to_owned()] },
                true,
                vec![to],
            ));
            continue;
        }
        let sure = subject.certain(known, old).into_iter().find_map(|(to, reason)| Some((take(&mut free_new, &to)?, reason)));
        match sure {
            Some((to, reason)) => {
                let taken = known.policy != RenamePolicy::Ask;
                found.push(subject.rename(old, Some(to.clone()), Evidence::Certain { reasons: vec![reason] }, taken, vec![to]));
            }
            None => free_lost.push(old),
        }
    }
    free_new.retain(|n| !(subject.returns)(n));
    let best = best_assignment(&free_lost, &free_new, subject);
    for (&old, partner) in free_lost.iter().zip(best) {
        let offered = offered(old, &free_new, subject);
        let candidates: Vec<String> = offered.iter().map(|(_, n)| n.clone()).collect();
        let Some(partner) = partner.and_then(|at| free_new.get(at)) else {
            // The best partner went to a better match; the others are still worth asking about.
            if !candidates.is_empty() {
                found.push(subject.rename(old, None, Evidence::Likely { score: 0.0, reasons: vec![] }, false, candidates));
            }
            continue;
        };
        let to = (subject.name)(partner);
        let (score, reasons) = (subject.scored)(old, partner);
        let has_rival = offered.iter().any(|((rival, _), n)| *n != to && *rival > score - CLOSE)
            || free_lost.iter().any(|other| !std::ptr::eq(*other, old) && (subject.scored)(other, partner).0 > score - CLOSE);
        let mut ordered = vec![to.clone()];
        ordered.extend(candidates.into_iter().filter(|n| *n != to));
        let taken = known.policy == RenamePolicy::Likely && !has_rival;
        let presumed = (!has_rival).then_some(to);
        found.push(subject.rename(old, presumed, Evidence::Likely { score: (score * 100.0).round() / 100.0, reasons }, taken, ordered));
    }
    found
}

/// Every candidate worth asking about, best first.
fn offered<T>(old: &T, new: &[&T], subject: &Subject<'_, T>) -> Vec<(Scored, String)> {
    let mut offered: Vec<(Scored, String)> =
        new.iter().map(|n| ((subject.scored)(old, n), (subject.name)(n))).filter(|((s, _), _)| *s >= WORTH_ASKING).collect();
    offered.sort_by(|a, b| b.0.0.total_cmp(&a.0.0).then_with(|| a.1.cmp(&b.1)));
    offered
}

/// For each lost one, the index of its partner.
fn best_assignment<T>(lost: &[&T], new: &[&T], subject: &Subject<'_, T>) -> Vec<Option<usize>> {
    if lost.is_empty() || new.is_empty() {
        return vec![None; lost.len()];
    }
    // Kuhn–Munkres wants at least as many columns as rows; columns beyond `new` stand for "no partner".
    let width = new.len() + lost.len();
    let weights = lost.iter().map(|old| {
        (0..width)
            .map(|at| {
                new.get(at)
                    .map_or(0, |n| Some((subject.scored)(old, n).0).filter(|s| *s >= WORTH_ASKING).map_or(0, |s| (s * 10_000.0) as i64))
            })
            .collect::<Vec<i64>>()
    });
    let Ok(weights) = Matrix::from_rows(weights) else { return vec![None; lost.len()] };
    let (_, partners) = kuhn_munkres(&weights);
    partners.iter().enumerate().map(|(row, &column)| (column < new.len() && weights[(row, column)] > 0).then_some(column)).collect()
}

/// The new names this one may be known to have, the surest first, each with the reason.
fn certain(known: &Known, table: &str, column: Option<&str>) -> Vec<(String, String)> {
    let is = |t: &str, c: Option<&str>| name::same(t, table) && c.map(name::fold) == column.map(name::fold);
    let recorded = known.certain.iter().filter(|(t, c, _)| is(t, c.as_deref()));
    let former = known.former.iter().rev().filter(|f| is(&f.table, f.column.as_deref()));
    recorded
        .map(|(_, _, to)| (to.clone(), "known from the database's own records".to_owned()))
        .chain(former.map(|f| (f.name.clone(), "the reverse of an earlier rename".to_owned())))
        .collect()
}

/// Whether a thing is known to be renamed although its old name is still there (a swap or chain).
fn is_certain_source(known: &Known, table: &str, column: Option<&str>) -> bool {
    known.certain.iter().any(|(t, c, _)| name::same(t, table) && c.as_deref().map(name::fold) == column.map(name::fold))
}

/// Whether a certain rename points at this name although a thing of that name existed before (a swap or chain).
fn is_certain_target(known: &Known, table: Option<&str>, to: &str) -> bool {
    known
        .certain
        .iter()
        .any(|(t, c, n)| name::same(n, to) && c.is_some() == table.is_some() && table.is_none_or(|wanted| name::same(wanted, t)))
}
