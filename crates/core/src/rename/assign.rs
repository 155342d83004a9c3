//! Finds renames: certain ones first, then the best assignment over all scored pairs at once.

use super::alike::Names;
use super::chance::Chance;
use super::evidence::{CertainRename, Evidence, Known, RenamePolicy, question};
use super::matching::{TraitsOf, best_assignment, comparable};
use super::numbers::Numbers;
use super::score::{self, CONTRADICTED, Odds, PRESUMED, SAME_NAME, Scored, WORTH_ASKING};
use super::signs::Pair;
use super::tables::{self, Rarity};
use super::trail;
use super::vanished::gone_name;
use crate::name::{self, RenameMap};
use crate::schema::{Column, Pointing, Schema, Table};
use std::collections::{BTreeMap, BTreeSet};

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
    /// What had the new name before and is gone: the name that it goes by from now on.
    pub displaces: Option<String>,
}

impl Rename {
    /// The name of the question about it.
    pub fn question(&self) -> String {
        question(&self.table, self.column.as_deref())
    }
}

/// What is beyond doubt, whatever the names look like.
struct CertainRenames {
    certain: Vec<CertainRename>,
    numbers: Numbers,
}

impl CertainRenames {
    fn of(accepted: &Schema, changed: &Schema) -> CertainRenames {
        let numbers = Numbers::of(accepted, changed);
        let mut certain = numbers.renames.clone();
        for told in trail::renames(accepted, changed) {
            if !certain.iter().any(|c| name::same(&c.table, &told.table) && c.column == told.column) {
                certain.push(told);
            }
        }
        CertainRenames { certain, numbers }
    }

    fn of_columns<'a>(&'a self, table: &'a str) -> impl Iterator<Item = &'a CertainRename> {
        self.certain.iter().filter(move |c| c.column.is_some() && name::same(&c.table, table))
    }
}

/// All renames between two schemas: of tables, then of columns of tables that stayed or were renamed.
pub fn find_renames(accepted: &Schema, changed: &Schema, known: &Known) -> Vec<Rename> {
    let facts = CertainRenames::of(accepted, changed);
    let mut renames = table_renames(accepted, changed, known, &facts);
    displace(&mut renames, accepted, changed);
    let mut map = RenameMap::default();
    for rename in &renames {
        if let Some(to) = &rename.to {
            map.rename_table(&rename.table, to);
            if let Some(gone) = &rename.displaces {
                map.rename_table(to, gone);
            }
        }
    }
    let (read_before, read_now) = (views(accepted), views(changed));
    // Most changes lose no name: what is common and what is rare is counted when it is needed.
    let counted = std::cell::OnceCell::new();
    let elsewhere = std::cell::OnceCell::new();
    for before in &accepted.tables {
        let Some(after) = changed.table(map.table(&before.name)) else { continue };
        // Nothing can be renamed where all names are still there and mean the same type.
        let same = |(a, b): (&Column, &Column)| a.name == b.name && a.column_type.kind == b.column_type.kind;
        let untouched = before.columns.len() == after.columns.len() && before.columns.iter().zip(&after.columns).all(same);
        if untouched && facts.of_columns(&before.name).next().is_none() {
            continue;
        }
        // References must compare by their present names, or every column that points at a renamed table looks different.
        let carried = map.applied_to_table(before);
        let (seen, sees) = (readers(&read_before, &before.name), readers(&read_now, &after.name));
        let read_by = |readers: &BTreeMap<&str, BTreeSet<&'_ str>>, table: &str, column: &str| -> BTreeSet<String> {
            let own = if readers.is_empty() { None } else { readers.get(name::dotted(table, column).as_str()) };
            own.into_iter().flatten().map(|view| (*view).to_owned()).collect()
        };
        let known_by = |lost: &str, new: &str| {
            let before = read_by(&seen, &before.name, lost);
            !before.is_empty() && read_by(&sees, &after.name, new).intersection(&before).next().is_some()
        };
        let likeness = |lost: &str, new: &str| accepted.fingerprint(&before.name, lost)?.likeness(changed.fingerprint(&after.name, new)?);
        let common = || {
            let names = Names::of(accepted, changed);
            let chance = Chance::of(accepted, changed, &names);
            (names, chance)
        };
        let in_other_tables = |lost: &str, new: &str| {
            let pairs: &BTreeMap<(String, String), usize> = elsewhere.get_or_init(|| lost_and_gained(accepted, changed, &map));
            !pairs.is_empty() && pairs.get(&(name::fold(lost), name::fold(new))).is_some_and(|tables| *tables > 1)
        };
        let signs =
            Signs { common: &|| counted.get_or_init(common), elsewhere: &in_other_tables, likeness: &likeness, read_alike: &known_by };
        renames.extend(column_renames(&before.name, &carried, after, known, &facts, &signs));
    }
    displace(&mut renames, accepted, changed);
    renames
}

/// What has the new name of a rename already, and no new one itself, is gone: another thing has its name now.
fn displace(renames: &mut [Rename], accepted: &Schema, changed: &Schema) {
    let moves: Vec<(String, Option<String>)> =
        renames.iter().filter(|r| r.to.is_some()).map(|r| (name::fold(&r.table), r.column.as_deref().map(name::fold))).collect();
    for rename in renames {
        let Some(to) = &rename.to else { continue };
        let there = |schema: &Schema, name: &str| match &rename.column {
            Some(_) => schema.column(&rename.table, name).is_some(),
            None => schema.table(name).is_some(),
        };
        let own = match &rename.column {
            Some(_) => (name::fold(&rename.table), Some(name::fold(to))),
            None => (name::fold(to), None),
        };
        let is_itself = name::same(rename.column.as_ref().unwrap_or(&rename.table), to);
        if there(accepted, to) && !is_itself && !moves.contains(&own) {
            rename.displaces = Some(gone_name(to, |name| there(accepted, name) || there(changed, name)));
        }
    }
}

fn table_renames(accepted: &Schema, changed: &Schema, known: &Known, facts: &CertainRenames) -> Vec<Rename> {
    let certain: Vec<&CertainRename> = facts.certain.iter().filter(|c| c.column.is_none()).collect();
    let is_source = |t: &str| certain.iter().any(|c| name::same(&c.table, t));
    let is_target = |t: &str| certain.iter().any(|c| name::same(&c.to, t));
    let lost: Vec<&Table> = accepted.tables.iter().filter(|t| changed.table(&t.name).is_none() || is_source(&t.name)).collect();
    if lost.is_empty() {
        return Vec::new();
    }
    let new: Vec<&Table> = changed.tables.iter().filter(|t| accepted.table(&t.name).is_none() || is_target(&t.name)).collect();
    let (names, rarity) = (Names::of(accepted, changed), Rarity::of(accepted, changed));
    let (pointed, pointed_now) = (Pointing::of(accepted), Pointing::of(changed));
    let before: BTreeMap<&str, tables::Known<'_>> =
        lost.iter().map(|t| (t.name.as_str(), tables::Known::of(t, &pointed, &rarity))).collect();
    let now: BTreeMap<&str, tables::Known<'_>> =
        new.iter().map(|t| (t.name.as_str(), tables::Known::of(t, &pointed_now, &rarity))).collect();
    let scored = |a: &Table, b: &Table, telling: bool| match (before.get(a.name.as_str()), now.get(b.name.as_str())) {
        (Some(a), Some(b)) => score::tables((a, b), &names, &rarity, new.len(), telling),
        _ => (f64::NEG_INFINITY, Vec::new()),
    };
    let traits =
        |t: &Table| before.get(t.name.as_str()).or_else(|| now.get(t.name.as_str())).map(tables::Known::traits).unwrap_or_default();
    let returns = |b: &Table| known.table_returns(&b.name);
    let contradicted = |_: &Table| facts.numbers.are_known();
    let stays = |t: &Table| changed.table(&t.name).is_some();
    match_pairs(
        &lost,
        &new,
        known,
        &Subject {
            name: |t: &Table| t.name.clone(),
            table: None,
            scored: &scored,
            traits: Some(&traits),
            returns: &returns,
            certain: &certain,
            contradicted: &contradicted,
            stays: &stays,
        },
    )
}

fn column_renames(old_table: &str, before: &Table, after: &Table, known: &Known, facts: &CertainRenames, signs: &Signs<'_>) -> Vec<Rename> {
    let certain: Vec<&CertainRename> = facts.of_columns(old_table).collect();
    let is_source = |c: &str| certain.iter().any(|known| known.column.as_deref().is_some_and(|known| name::same(known, c)));
    let is_target = |c: &str| certain.iter().any(|known| name::same(&known.to, c));
    let swapped = if facts.numbers.contradict(old_table) { Vec::new() } else { exchanged(before, after) };
    let odd = |c: &str| swapped.iter().any(|s| s == c);
    let lost: Vec<&Column> =
        before.columns.iter().filter(|c| after.column(&c.name).is_none() || is_source(&c.name) || odd(&c.name)).collect();
    if lost.is_empty() {
        return Vec::new();
    }
    let new: Vec<&Column> =
        after.columns.iter().filter(|c| before.column(&c.name).is_none() || is_target(&c.name) || odd(&c.name)).collect();
    let (names, chance) = (signs.common)();
    let pair = Pair::of(before, after, names, signs.elsewhere);
    let scored =
        |a: &Column, b: &Column, telling: bool| signs.weighed(score::columns(&pair, chance, (a, b), new.len(), telling), &a.name, &b.name);
    let returns = |b: &Column| known.column_returns(old_table, &b.name);
    let contradicted = |_: &Column| facts.numbers.contradict(old_table);
    let stays = |c: &Column| after.column(&c.name).is_some();
    match_pairs(
        &lost,
        &new,
        known,
        &Subject {
            name: |c: &Column| c.name.clone(),
            table: Some(old_table),
            scored: &scored,
            traits: None,
            returns: &returns,
            certain: &certain,
            contradicted: &contradicted,
            stays: &stays,
        },
    )
}

/// What speaks for two columns beyond themselves.
struct Signs<'a> {
    /// What is common in the two schemas.
    common: &'a dyn Fn() -> &'a (Names, Chance),
    /// Whether other tables lost and gained the two names together.
    elsewhere: &'a dyn Fn(&str, &str) -> bool,
    /// How much of the data they share, where it was measured.
    likeness: &'a dyn Fn(&str, &str) -> Option<f64>,
    /// Whether a view reads the one before and the other now.
    read_alike: &'a dyn Fn(&str, &str) -> bool,
}

impl Signs<'_> {
    fn weighed(&self, scored: Scored, lost: &str, new: &str) -> Scored {
        let scored = score::with_data(scored, (self.likeness)(lost, new));
        if (self.read_alike)(lost, new) { score::read_alike(scored) } else { scored }
    }
}

/// Names that several tables lost and gained together, and how many.
pub(super) fn lost_and_gained(accepted: &Schema, changed: &Schema, map: &RenameMap) -> BTreeMap<(String, String), usize> {
    let without = |own: &Table, other: &Table| -> Vec<String> {
        own.columns.iter().filter(|c| other.column(&c.name).is_none()).map(|c| name::fold(&c.name)).collect()
    };
    let mut each: Vec<(Vec<String>, Vec<String>)> = Vec::new();
    for before in &accepted.tables {
        let Some(after) = changed.table(map.table(&before.name)) else { continue };
        let (lost, gained) = (without(before, after), without(after, before));
        if !lost.is_empty() && !gained.is_empty() {
            each.push((lost, gained));
        }
    }
    // Two names that go together once say nothing: what only one table lost or gained needn't be paired.
    let often = |names: &mut dyn Iterator<Item = &String>| -> BTreeSet<String> {
        let mut counts: BTreeMap<&String, usize> = BTreeMap::new();
        names.for_each(|name| *counts.entry(name).or_default() += 1);
        counts.into_iter().filter(|(_, count)| *count > 1).map(|(name, _)| name.clone()).collect()
    };
    let lost_often = often(&mut each.iter().flat_map(|(lost, _)| lost));
    let gained_often = often(&mut each.iter().flat_map(|(_, gained)| gained));
    let mut pairs = BTreeMap::new();
    for (lost, gained) in &each {
        for lost in lost.iter().filter(|name| lost_often.contains(*name)) {
            for new in gained.iter().filter(|name| gained_often.contains(*name)) {
                *pairs.entry((lost.clone(), new.clone())).or_default() += 1;
            }
        }
    }
    pairs
}

/// The views, which alone read anything.
fn views(schema: &Schema) -> Vec<&Table> {
    schema.tables.iter().filter(|t| !t.reads.is_empty()).collect()
}

/// The views that read each column of a table, by `table.column`.
fn readers<'s>(views: &[&'s Table], table: &str) -> BTreeMap<&'s str, BTreeSet<&'s str>> {
    let mut readers: BTreeMap<&str, BTreeSet<&str>> = BTreeMap::new();
    let start = format!("{}.", name::written(table));
    for view in views {
        for read in view.reads.iter().filter(|read| read.starts_with(&start)) {
            readers.entry(read).or_default().insert(&view.name);
        }
    }
    readers
}

/// Columns that kept their names but may have changed places with others (a swap), or whose name something else
/// took (a chain): each has a type now that it hadn't, and that another lost or changed column had; or a new column of its old
/// type stands where it stood.
fn exchanged(before: &Table, after: &Table) -> Vec<String> {
    let pairs: Vec<(&Column, Option<&Column>)> = before.columns.iter().map(|c| (c, after.column(&c.name))).collect();
    let turned = |old: &Column, new: &Column| old.column_type.kind != new.column_type.kind;
    let had = |new: &Column, own: &Column| {
        pairs.iter().any(|(old, now)| old.name != own.name && old.column_type == new.column_type && now.is_none_or(|now| turned(old, now)))
    };
    let neighbour = |columns: &[Column], at: usize| at.checked_sub(1).and_then(|at| columns.get(at)).map(|c| name::fold(&c.name));
    let replaced = |old: &Column, at: usize| {
        let is_new = |(now, new): (usize, &Column)| {
            before.column(&new.name).is_none()
                && new.column_type == old.column_type
                && neighbour(&before.columns, at) == neighbour(&after.columns, now)
        };
        after.columns.iter().enumerate().any(is_new)
    };
    let moved = |(at, (old, now)): (usize, &(&Column, Option<&Column>))| {
        now.filter(|now| turned(old, now) && (had(now, old) || replaced(old, at))).map(|_| old.name.clone())
    };
    pairs.iter().enumerate().filter_map(moved).collect()
}

/// What is being matched, tables or the columns of one table.
struct Subject<'a, T> {
    name: fn(&T) -> String,
    table: Option<&'a str>,
    /// What speaks for two of them; with the reasons where they are to be told.
    scored: &'a dyn Fn(&T, &T, bool) -> Scored,
    /// What one has in common with what may be the same, where there may be too many to compare each with each.
    traits: Option<TraitsOf<'a, T>>,
    returns: &'a dyn Fn(&T) -> bool,
    certain: &'a [&'a CertainRename],
    /// Whether the catalogue's numbers say that this one is truly gone.
    contradicted: &'a dyn Fn(&T) -> bool,
    /// Whether something of its name is still there.
    stays: &'a dyn Fn(&T) -> bool,
}

impl<T> Subject<'_, T> {
    fn rename(&self, lost: &T, to: Option<String>, evidence: Evidence, taken: bool, candidates: Vec<String>) -> Rename {
        let lost = (self.name)(lost);
        match self.table {
            Some(table) => Rename { table: table.to_owned(), column: Some(lost), to, evidence, taken, candidates, displaces: None },
            None => Rename { table: lost, column: None, to, evidence, taken, candidates, displaces: None },
        }
    }

    fn question(&self, lost: &T) -> String {
        let lost = (self.name)(lost);
        match self.table {
            Some(table) => question(table, Some(&lost)),
            None => question(&lost, None),
        }
    }

    fn certain(&self, lost: &T) -> Option<&CertainRename> {
        let lost = (self.name)(lost);
        self.certain.iter().copied().find(|c| name::same(c.column.as_deref().unwrap_or(&c.table), &lost))
    }

    /// The names that earlier merges renamed this one away from, the latest first.
    fn former<'k>(&self, known: &'k Known, lost: &T) -> Vec<&'k str> {
        let lost = (self.name)(lost);
        let is = |f: &&super::evidence::Former| match (self.table, &f.column) {
            (Some(table), Some(column)) => name::same(&f.table, table) && name::same(column, &lost),
            (None, None) => name::same(&f.table, &lost),
            _ => false,
        };
        known.former.iter().rev().filter(is).map(|f| f.name.as_str()).collect()
    }

    /// A score, held down where the catalogue says otherwise.
    fn score(&self, lost: &T, new: &T, telling: bool) -> Scored {
        let (mut score, mut reasons) = (self.scored)(lost, new, telling);
        if (self.name)(lost) == (self.name)(new) {
            // What seems to have changed places is there under its own name too: that alone says little.
            score -= SAME_NAME;
        }
        if !(self.contradicted)(lost) {
            return (score, reasons);
        }
        let what = if self.table.is_some() { "column" } else { "table" };
        reasons.push(format!("though the catalogue counts it as another {what}"));
        (score.min(CONTRADICTED), reasons)
    }
}

fn match_pairs<T>(lost: &[&T], new: &[&T], known: &Known, subject: &Subject<'_, T>) -> Vec<Rename> {
    let mut found = Vec::new();
    let mut free_new: Vec<&T> = new.to_vec();
    let take = |free_new: &mut Vec<&T>, to: &str| -> Option<String> {
        let at = free_new.iter().position(|n| name::same(&(subject.name)(n), to))?;
        Some((subject.name)(free_new.remove(at)))
    };
    let answer = |old: &T| known.answers.get(&subject.question(old));
    let mut left: Vec<&T> = Vec::new();
    for &old in lost {
        let own = (subject.name)(old);
        match answer(old).filter(|a| *a != "separate" && **a != own).and_then(|a| take(&mut free_new, a)) {
            Some(to) => {
                let evidence = Evidence::Certain { reasons: vec!["your answer".to_owned()] };
                found.push(subject.rename(old, Some(to.clone()), evidence, true, vec![to]));
            }
            None => left.push(old),
        }
    }
    let (mut free_lost, mut separate) = (Vec::new(), Vec::new());
    for old in left {
        if answer(old).is_some_and(|a| a == "separate") {
            // What still has its name keeps it.
            if (subject.stays)(old) {
                take(&mut free_new, &(subject.name)(old));
            }
            separate.push(old);
        } else {
            free_lost.push(old);
        }
    }
    for old in separate {
        let mut candidates = offered(old, &free_new, subject);
        candidates.extend(subject.certain(old).map(|c| c.to.clone()).filter(|to| !candidates.contains(to)));
        found.push(subject.rename(old, None, Evidence::Certain { reasons: vec!["answered: separate".to_owned()] }, true, candidates));
    }
    let mut unsure = Vec::new();
    for old in free_lost {
        // The way back of a rename that was taken needs no question, whatever has the old name now.
        let is_back = |to: &str| subject.former(known, old).iter().any(|former| name::same(former, to));
        let by_record = subject.certain(old).and_then(|c| Some((take(&mut free_new, &c.to)?, c.reason.clone(), c.ask && !is_back(&c.to))));
        let sure = by_record.or_else(|| {
            // The numbers say it isn't that one.
            let names = if (subject.contradicted)(old) { Vec::new() } else { subject.former(known, old) };
            let to = names.into_iter().find_map(|to| take(&mut free_new, to))?;
            Some((to, "the reverse of an earlier rename".to_owned(), false))
        });
        match sure {
            Some((to, reason, ask)) => {
                let taken = known.policy != RenamePolicy::Ask && !ask;
                found.push(subject.rename(old, Some(to.clone()), Evidence::Certain { reasons: vec![reason] }, taken, vec![to]));
            }
            None => unsure.push(old),
        }
    }
    free_new.retain(|n| !(subject.returns)(n));
    found.extend(likely(&unsure, &free_new, known, subject));
    settled(found, subject, lost)
}

/// The best assignment among what nothing certain is known of.
fn likely<T>(lost: &[&T], new: &[&T], known: &Known, subject: &Subject<'_, T>) -> Vec<Rename> {
    let mut found = Vec::new();
    let odds: Odds = comparable(lost, new, subject.traits)
        .into_iter()
        .zip(lost)
        .map(|(near, old)| near.into_iter().filter_map(|at| Some((at, subject.score(old, new.get(at)?, false).0))).collect())
        .collect();
    let probable = score::probabilities(&odds, new.len());
    let names: Vec<String> = lost.iter().map(|old| (subject.name)(old)).collect();
    let mut sharing: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
    for (row, near) in odds.iter().enumerate() {
        near.iter().for_each(|(new, _)| sharing.entry(*new).or_default().push(row));
    }
    for ((at, &old), partner) in lost.iter().enumerate().zip(best_assignment(&odds)) {
        let own = (subject.name)(old);
        let of_new = |(n, odds): &(usize, f64)| Some((*odds, (subject.name)(new.get(*n)?)));
        let worth = odds[at].iter().filter(|(_, odds)| *odds >= WORTH_ASKING).filter_map(of_new).filter(|(_, name)| *name != own);
        let candidates = best_first(worth.collect());
        let Some(partner) = partner else {
            // The best partner went to a better match; the others are still worth asking about.
            if !candidates.is_empty() {
                found.push(subject.rename(old, None, Evidence::Likely { score: 0.0, reasons: vec![] }, false, candidates));
            }
            continue;
        };
        let to = (subject.name)(new[partner]);
        if to == own {
            continue;
        }
        let (_, mut reasons) = subject.score(old, new[partner], true);
        let others = sharing.get(&partner).into_iter().flatten().filter(|row| **row != at).map(|row| names[*row].as_str());
        reasons.extend(score::split_or_joined(&own, &to, &candidates, others));
        let mut ordered = vec![to.clone()];
        ordered.extend(candidates.into_iter().filter(|n| *n != to));
        // What has changed places with another is never presumed.
        let probability = probable[at].iter().find(|(n, _)| *n == partner).map_or(0.0, |(_, probability)| *probability);
        let sure = probability >= PRESUMED && !(subject.stays)(old);
        if (subject.stays)(old) {
            reasons.push("it seems to have changed places".to_owned());
        }
        let taken = known.policy == RenamePolicy::Likely && sure;
        let presumed = sure.then_some(to);
        // Never rounded up to certainty.
        let score = (probability * 100.0).floor() / 100.0;
        found.push(subject.rename(old, presumed, Evidence::Likely { score, reasons }, taken, ordered));
    }
    found
}

/// Makes the renames fit together: two names can't lead to one. Where a taken rename needs the name of something
/// that is still there, that one's own rename is taken with it; where there is none, it is gone, if that is certain.
fn settled<T>(mut renames: Vec<Rename>, subject: &Subject<'_, T>, lost: &[&T]) -> Vec<Rename> {
    let own = |r: &Rename| r.column.clone().unwrap_or_else(|| r.table.clone());
    let kept: Vec<String> = lost.iter().filter(|t| (subject.stays)(t)).map(|t| (subject.name)(t)).collect();
    loop {
        let mut changed = false;
        for at in 0..renames.len() {
            let Some(to) = renames[at].to.clone().filter(|to| kept.iter().any(|k| name::same(k, to))) else { continue };
            let way_out = renames.iter().position(|r| name::same(&own(r), &to) && r.to.is_some());
            match way_out {
                Some(other) if renames[at].taken && !renames[other].taken => {
                    renames[other].taken = true;
                    changed = true;
                }
                Some(_) => {}
                None if matches!(renames[at].evidence, Evidence::Certain { .. }) => {}
                None => {
                    let rename = &mut renames[at];
                    (rename.to, rename.taken, changed) = (None, false, true);
                }
            }
        }
        if !changed {
            return renames;
        }
    }
}

/// Every candidate worth asking about, best first.
fn offered<T>(old: &T, new: &[&T], subject: &Subject<'_, T>) -> Vec<String> {
    let scored = new.iter().map(|n| (subject.score(old, n, false).0, (subject.name)(n)));
    best_first(scored.filter(|(odds, _)| *odds >= WORTH_ASKING).collect())
}

/// Names by their odds, the best first.
fn best_first(mut names: Vec<(f64, String)>) -> Vec<String> {
    names.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
    names.into_iter().map(|(_, name)| name).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testkit::schema;

    #[test]
    fn a_name_that_something_else_took_is_asked_about() {
        let before = "hive: id integer key; code text(12) required; weight decimal(8,2); colour text(20)";
        for (after, offered) in [
            // What had the name stands where it stood, under another one.
            ("hive: id integer key; tag text(12) required; weight decimal(8,2); colour text(20); code integer", vec!["tag"]),
            // Only the type changed, and something else came.
            ("hive: id integer key; code integer required; weight decimal(8,2); colour text(20); motto text(12)", vec![]),
            // Only something else came.
            ("hive: id integer key; tag text(12); code text(12) required; weight decimal(8,2); colour text(20)", vec![]),
        ] {
            let renames = find_renames(&schema(before), &schema(after), &Known::default());
            let found: Vec<&str> = renames.iter().flat_map(|r| r.candidates.iter().map(String::as_str)).collect();
            assert_eq!(found, offered, "{after}: {renames:?}");
        }
    }

    #[test]
    fn what_returns_is_nobodys_new_name_whatever_its_table_is_called() {
        let returning = vec![("yard_2".to_owned(), Some("counted".to_owned()))];
        let before = "yard_2: id integer key; place text(40); token boolean";
        for after in ["yard_2: id integer key; place text(40); counted boolean", "yard: id integer key; place text(40); counted boolean"] {
            let candidates = |known: &Known| -> Vec<String> {
                let renames = find_renames(&schema(before), &schema(after), known);
                renames.into_iter().filter(|r| r.column.is_some()).flat_map(|r| r.candidates).collect()
            };
            assert_eq!(candidates(&Known::default()), ["counted"], "{after}");
            assert_eq!(candidates(&Known { returning: returning.clone(), ..Known::default() }), Vec::<String>::new(), "{after}");
        }
    }
}
