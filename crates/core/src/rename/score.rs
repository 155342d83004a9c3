//! How much two columns, or two tables, look like one thing under two names.
//!
//! A weighted sum of similarities between 0 and 1. The weights were chosen by hand; what counts is the
//! order of candidates and that unlike pairs fall below [`WORTH_ASKING`].

use crate::name;
use crate::schema::{Column, Table};
use std::collections::BTreeSet;

/// Pairs below this score are not offered.
pub const WORTH_ASKING: f64 = 0.42;
/// Two candidates whose scores differ by less are rivals: neither is presumed.
pub const CLOSE: f64 = 0.13;

/// The most that a pair can score which the catalogue's numbers speak against.
pub const CONTRADICTED: f64 = 0.6;

/// What a kept name is worth less where a column seems to have changed places with another.
pub const SAME_NAME: f64 = 0.3;

/// A score and what speaks for it.
pub type Scored = (f64, Vec<String>);

/// Compares a lost column with a new one of (what is taken for) the same table.
pub fn columns(before: &Table, lost: &Column, after: &Table, new: &Column) -> Scored {
    let mut reasons = Vec::new();
    let mut score = 0.46 * named_alike(&[&before.name, &after.name], &lost.name, &new.name, &mut reasons);
    let mut add = |weight: f64, reason: &str| {
        score += weight;
        reasons.push(reason.to_owned());
    };
    if lost.column_type == new.column_type {
        add(0.2, "same type");
    } else if lost.column_type.kind == new.column_type.kind {
        add(0.13, "same kind of type");
    }
    if neighbours(before, lost) == neighbours(after, new) {
        add(0.14, "same position");
    } else if position(before, lost) == position(after, new) {
        add(0.1, "same place in the table");
    }
    if lost.nullable == new.nullable {
        score += 0.04;
    }
    if lost.default == new.default && lost.generated == new.generated {
        score += if lost.default.is_some() { 0.06 } else { 0.03 };
    }
    if roles(before, lost) == roles(after, new) {
        let special = !roles(before, lost).is_empty();
        score += if special { 0.13 } else { 0.05 };
        if special {
            reasons.push("same keys and constraints".to_owned());
        }
    }
    (score.min(1.0), reasons)
}

/// A score with what the data says, where it was measured: the same values speak for a pair more than any name,
/// and other values against it.
pub fn with_data((score, mut reasons): Scored, likeness: Option<f64>) -> Scored {
    let Some(likeness) = likeness else { return (score, reasons) };
    let percent = (likeness * 100.0).round();
    if likeness >= 0.7 {
        reasons.push(format!("the same data ({percent} % of a sample)"));
        return ((score + 0.35).min(1.0), reasons);
    }
    if likeness <= 0.1 {
        reasons.push("other data".to_owned());
        return ((score - 0.25).max(0.0), reasons);
    }
    (score, reasons)
}

/// A score of two columns that the same view reads, before and now.
pub fn read_alike((score, mut reasons): Scored) -> Scored {
    reasons.push("the same view reads it".to_owned());
    ((score + 0.12).min(1.0), reasons)
}

/// Compares a lost table with a new one, by name, columns and what they refer to.
///
/// `pointed` are the tables that refer to either.
pub fn tables(lost: &Table, new: &Table, pointed: Option<(&BTreeSet<String>, &BTreeSet<String>)>) -> Scored {
    let mut reasons = Vec::new();
    let mut score = 0.3 * named_alike(&[], &lost.name, &new.name, &mut reasons);
    let set = |table: &Table| -> BTreeSet<String> { table.columns.iter().map(|c| name::fold(&c.name)).collect() };
    let (a, b) = (set(lost), set(new));
    let shared = a.intersection(&b).count();
    let all = a.union(&b).count().max(1);
    score += 0.55 * shared as f64 / all as f64;
    if shared == all {
        reasons.push("the same columns".to_owned());
    } else if shared * 2 >= all {
        reasons.push(format!("{shared} of {all} columns the same"));
    }
    let references = |table: &Table| -> BTreeSet<String> { table.foreign_keys.iter().map(|k| name::fold(&k.table)).collect() };
    if references(lost) == references(new) {
        score += 0.05;
    }
    if let Some((before, after)) = pointed.filter(|(before, _)| !before.is_empty())
        && before.intersection(after).next().is_some()
    {
        score += 0.08;
        reasons.push("the same tables refer to it".to_owned());
    }
    if lost.primary_key.len() == new.primary_key.len() {
        score += 0.05;
    }
    if lost.kind != new.kind {
        score *= 0.4;
    } else {
        score += 0.05;
    }
    (score.min(1.0), reasons)
}

/// Name similarity: shared words, abbreviations, edits; words of the table's own name don't count as a difference.
fn named_alike(tables: &[&str], a: &str, b: &str, reasons: &mut Vec<String>) -> f64 {
    let own: Vec<String> = tables.iter().flat_map(|t| name::words(t)).collect();
    let words = |n: &str| -> Vec<String> {
        let all = name::words(n);
        let rest: Vec<String> = all.iter().filter(|w| !own.contains(w)).cloned().collect();
        if rest.is_empty() { all } else { rest }
    };
    let (wa, wb) = (words(a), words(b));
    let edits = strsim::normalized_damerau_levenshtein(&wa.concat(), &wb.concat());
    let close =
        |x: &String, y: &String| x == y || (x.len() >= 2 && y.starts_with(x.as_str())) || (y.len() >= 2 && x.starts_with(y.as_str()));
    let shared = wa.iter().filter(|x| wb.iter().any(|y| close(x, y))).count();
    let by_words = shared as f64 / wa.len().max(wb.len()).max(1) as f64;
    let jaro = strsim::jaro_winkler(&wa.concat(), &wb.concat());
    let similarity = edits.max(by_words).max(if jaro > 0.85 { jaro } else { 0.0 });
    if similarity >= 0.99 {
        reasons.push("the same name in another spelling".to_owned());
    } else if similarity >= 0.5 {
        reasons.push("similar name".to_owned());
    }
    if similarity < 0.3 { 0.0 } else { similarity }
}

/// Whether a lost name seems to have been split into several new ones, or several to have been joined in one.
pub fn split_or_joined(lost: &str, to: &str, candidates: &[String], other_lost: &[String]) -> Option<String> {
    let holds = |whole: &str, part: &str| {
        let whole = name::words(whole);
        let part = name::words(part);
        part.len() < whole.len() && part.iter().all(|w| whole.contains(w))
    };
    let parts: Vec<&str> = candidates.iter().filter(|c| holds(c, lost)).map(String::as_str).collect();
    if parts.len() > 1 {
        return Some(format!("perhaps split into {}", parts.join(" and ")));
    }
    let joined: Vec<&str> = std::iter::once(lost).chain(other_lost.iter().map(String::as_str)).filter(|l| holds(l, to)).collect();
    (joined.len() > 1).then(|| format!("perhaps {} joined", joined.join(" and ")))
}

fn position(table: &Table, column: &Column) -> Option<usize> {
    table.columns.iter().position(|c| c.name == column.name)
}

/// The names before and after a column: the same neighbours say "same position" even when columns came or went elsewhere.
fn neighbours<'a>(table: &'a Table, column: &Column) -> (Option<&'a str>, Option<&'a str>) {
    let at = position(table, column);
    let near = |step: isize| at.and_then(|at| at.checked_add_signed(step)).and_then(|n| table.columns.get(n)).map(|c| c.name.as_str());
    (near(-1), near(1))
}

/// The keys and constraints a column takes part in.
fn roles(table: &Table, column: &Column) -> BTreeSet<String> {
    let has = |columns: &[String]| name::contains(columns, &column.name);
    let mut roles = BTreeSet::new();
    if has(&table.primary_key) {
        roles.insert("primary key".to_owned());
    }
    for key in table.foreign_keys.iter().filter(|k| has(&k.columns)) {
        roles.insert(format!("reference to {}", name::fold(&key.table)));
    }
    for unique in table.uniques.iter().filter(|u| has(&u.columns)) {
        roles.insert(format!("unique over {}", unique.columns.len()));
    }
    roles
}
