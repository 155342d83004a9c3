//! The signs by which a person tells whether two columns are one under two names, each in a few levels.
//!
//! What a level says is counted, not chosen: how often it is found in true pairs stands in [`super::weights`], how often in chance
//! pairs is counted in the two schemas by [`super::chance`].

use super::alike::{Likeness, Names, Spoken};
use crate::name;
use crate::schema::{Column, Table, TypeRelation};
use std::cell::OnceCell;
use std::collections::BTreeMap;

/// A sign.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Sign {
    /// What the names have in common.
    Name,
    /// The types.
    Type,
    /// What they start with.
    Default,
    /// Whether they must have a value.
    Required,
    /// Where they stand among the columns that stayed.
    Slot,
    /// Part of the primary key, or not.
    Key,
    /// What they point at.
    Reference,
    /// Unique constraints and indexes over them.
    Unique,
    /// Constraints on their values.
    Check,
    /// Comments.
    Comment,
    /// The same two names in other tables.
    Elsewhere,
    /// The same rewriting of other names.
    Rewriting,
}

impl Sign {
    /// Every sign.
    pub const ALL: [Sign; 12] = [
        Sign::Name,
        Sign::Type,
        Sign::Default,
        Sign::Required,
        Sign::Slot,
        Sign::Key,
        Sign::Reference,
        Sign::Unique,
        Sign::Check,
        Sign::Comment,
        Sign::Elsewhere,
        Sign::Rewriting,
    ];
    /// Most levels of a sign.
    pub const LEVELS: usize = 8;

    /// What a level says in words, where it speaks for a pair.
    pub fn reason(self, level: usize) -> Option<&'static str> {
        Some(match (self, level) {
            (Sign::Name, 7) => "the same name in another spelling",
            (Sign::Name, 6) => "the same name but for what its neighbours share",
            (Sign::Name, 5) => "one name abbreviates the other",
            (Sign::Name, 4) => "one name is part of the other",
            (Sign::Name, 2 | 3) => "similar name",
            (Sign::Type, 3) => "same type",
            (Sign::Type, 2) => "same kind of type",
            (Sign::Default, 3) => "same default",
            (Sign::Slot, 4 | 5) => "same position",
            (Sign::Slot, 3) => "same order",
            (Sign::Key, 3) => "the key before and now",
            (Sign::Key, 2) => "the same part of the key",
            (Sign::Reference, 3) => "points at the same table",
            (Sign::Unique, 2) => "same constraints",
            (Sign::Check, 2) => "same values allowed",
            (Sign::Comment, 2) => "same comment",
            (Sign::Elsewhere, 1) => "renamed so in other tables too",
            (Sign::Rewriting, 1 | 2) => "other names changed alike",
            _ => return None,
        })
    }
}

/// The level of each sign.
pub type Levels = [usize; Sign::ALL.len()];

/// A table before and after, as far as its columns are compared.
pub struct Pair<'a> {
    /// The table before, with its references under the present names.
    pub before: &'a Table,
    /// The table now.
    pub after: &'a Table,
    /// How its names are read.
    pub names: &'a Names,
    /// Of each lost column, and of each new one: the gap between columns that stayed, which of how many there it is.
    gaps: (BTreeMap<String, Gap>, BTreeMap<String, Gap>),
    /// Words that most columns of the table begin with, before or now: a prefix may stand on one side alone.
    shared: Vec<String>,
    /// What is known of each column, before and now, once it is asked for.
    known: (KnownColumns<'a>, KnownColumns<'a>),
    /// How each lost name would be rewritten to each new one, with how many pairs are rewritten so.
    rewritings: BTreeMap<(String, String), usize>,
    /// Lost and new names that other tables lost and gained together.
    elsewhere: &'a dyn Fn(&str, &str) -> bool,
}

/// By name, once it is asked for.
type KnownColumns<'a> = BTreeMap<&'a str, OnceCell<Known>>;

/// What is known of a column by itself.
struct Known {
    spoken: Spoken,
    in_key: bool,
    targets: Vec<String>,
    constraints: Vec<String>,
    checks: Vec<String>,
}

/// A gap between columns that stayed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Gap {
    /// Which gap: how many columns that stayed stand before it.
    at: usize,
    /// Which of the columns there.
    index: usize,
    /// Of how many.
    of: usize,
    /// Which of all that went, or came.
    rank: usize,
    /// Whether it is the last gap.
    last: bool,
}

impl<'a> Pair<'a> {
    /// A table before and after. `elsewhere` says whether other tables lost and gained two names together.
    pub fn of(before: &'a Table, after: &'a Table, names: &'a Names, elsewhere: &'a dyn Fn(&str, &str) -> bool) -> Pair<'a> {
        let stayed = |a: &Table, b: &Table, c: &Column| b.column(&c.name).is_some() && a.column(&c.name).is_some();
        let gaps = |own: &Table, other: &Table| {
            let (mut runs, mut run): (Vec<Vec<&str>>, Vec<&str>) = (Vec::new(), Vec::new());
            for column in &own.columns {
                if stayed(own, other, column) {
                    runs.push(std::mem::take(&mut run));
                } else {
                    run.push(&column.name);
                }
            }
            runs.push(run);
            let (mut found, mut rank, count) = (BTreeMap::new(), 0, runs.len());
            for (at, run) in runs.iter().enumerate() {
                for (index, column) in run.iter().enumerate() {
                    found.insert((*column).to_owned(), Gap { at, index, of: run.len(), rank, last: at + 1 == count });
                    rank += 1;
                }
            }
            found
        };
        let gone = |own: &Table, other: &Table| -> Vec<Vec<String>> {
            own.columns.iter().filter(|c| !stayed(own, other, c)).map(|c| name::words(&c.name)).collect()
        };
        let mut rewritings: BTreeMap<(String, String), usize> = BTreeMap::new();
        let new_names = gone(after, before);
        for lost in gone(before, after) {
            for how in new_names.iter().filter_map(|new| rewriting(&lost, new)) {
                *rewritings.entry(how).or_default() += 1;
            }
        }
        let shared = names.shared_words(before).into_iter().chain(names.shared_words(after)).collect();
        let unknown = |table: &'a Table| table.columns.iter().map(|c| (c.name.as_str(), OnceCell::new())).collect();
        let (gaps, known) = ((gaps(before, after), gaps(after, before)), (unknown(before), unknown(after)));
        Pair { before, after, names, gaps, shared, known, rewritings, elsewhere }
    }

    /// What is known of a column of one of the two tables.
    fn known_of<'p>(&'p self, table: &Table, all: &'p KnownColumns<'a>, column: &Column) -> Option<&'p Known> {
        let known = || Known {
            spoken: Spoken::of(&column.name, &self.shared),
            in_key: name::contains(&table.primary_key, &column.name),
            targets: targets(table, column),
            constraints: constraints(table, column),
            checks: checks(table, column),
        };
        Some(all.get(column.name.as_str())?.get_or_init(known))
    }

    /// The level of each sign for a lost column and a new one.
    pub fn levels(&self, lost: &Column, new: &Column) -> Levels {
        let mut levels = [0; Sign::ALL.len()];
        let (Some(was), Some(is)) = (self.known_of(self.before, &self.known.0, lost), self.known_of(self.after, &self.known.1, new)) else {
            return levels;
        };
        levels[Sign::Name as usize] = self.name(was, is);
        levels[Sign::Type as usize] = type_level(lost, new);
        levels[Sign::Default as usize] = match (&lost.default, &new.default) {
            (Some(a), Some(b)) if a == b => 3,
            (None, None) => 2,
            (Some(_), Some(_)) => 0,
            _ => 1,
        };
        levels[Sign::Required as usize] = usize::from(lost.nullable == new.nullable);
        levels[Sign::Slot as usize] = self.slot(lost, new);
        levels[Sign::Key as usize] = match (was.in_key, is.in_key) {
            // The only column of the key is still that, whatever it is called.
            (true, true) if self.before.primary_key.len() == 1 && self.after.primary_key.len() == 1 => 3,
            (true, true) => 2,
            (false, false) => 1,
            _ => 0,
        };
        levels[Sign::Reference as usize] = reference_level(&was.targets, &is.targets);
        levels[Sign::Unique as usize] = alike(&was.constraints, &is.constraints);
        levels[Sign::Check as usize] = alike(&was.checks, &is.checks);
        levels[Sign::Comment as usize] = alike(lost.comment.as_slice(), new.comment.as_slice());
        levels[Sign::Elsewhere as usize] = usize::from((self.elsewhere)(&lost.name, &new.name));
        let how = if self.rewritings.is_empty() { None } else { rewriting(was.spoken.words(), is.spoken.words()) };
        let alike_rewritten = how.and_then(|how| self.rewritings.get(&how)).copied().unwrap_or(0);
        levels[Sign::Rewriting as usize] = alike_rewritten.saturating_sub(1).min(2);
        levels
    }

    fn name(&self, lost: &Known, new: &Known) -> usize {
        match self.names.likeness(&lost.spoken, &new.spoken) {
            Likeness::Same => 7,
            Likeness::SameRest => 6,
            Likeness::Abbreviated => 5,
            Likeness::Part => 4,
            Likeness::Share(share) if share >= 0.5 => 3,
            Likeness::Share(share) if share >= 0.25 => 2,
            Likeness::Edits => 1,
            Likeness::Share(_) => 0,
        }
    }

    /// Where the two stand among the columns that stayed.
    fn slot(&self, lost: &Column, new: &Column) -> usize {
        let (Some(a), Some(b)) = (self.gaps.0.get(&lost.name), self.gaps.1.get(&new.name)) else { return 0 };
        match (a, b) {
            _ if a.at == b.at && a.of == b.of && a.index == b.index => 5,
            _ if a.at == b.at && (a.index == b.index || a.of - a.index == b.of - b.index) => 4,
            // Copied one after the other, and dropped.
            _ if self.gaps.0.len() > 1 && self.gaps.0.len() == self.gaps.1.len() && a.rank == b.rank => 3,
            _ if a.at == b.at => 2,
            // What was added later stands last.
            _ if b.last => 1,
            _ => 0,
        }
    }
}

/// The level of two types.
fn type_level(lost: &Column, new: &Column) -> usize {
    let (old, now) = (&lost.column_type, &new.column_type);
    if old == now {
        3
    } else if old.kind == now.kind {
        2
    } else {
        usize::from(matches!(old.relation(now), TypeRelation::Widened | TypeRelation::Narrowed))
    }
}

/// The tables that a column points at.
fn targets(table: &Table, column: &Column) -> Vec<String> {
    table.foreign_keys.iter().filter(|k| name::contains(&k.columns, &column.name)).map(|k| name::fold(&k.table)).collect()
}

fn reference_level(lost: &[String], new: &[String]) -> usize {
    match (lost.is_empty(), new.is_empty()) {
        (true, true) => 2,
        (false, false) if lost.iter().any(|t| new.contains(t)) => 3,
        (false, false) => 0,
        _ => 1,
    }
}

/// Unique constraints and indexes that begin with a column.
fn constraints(table: &Table, column: &Column) -> Vec<String> {
    let unique = table.uniques.iter().filter(|u| name::contains(&u.columns, &column.name)).map(|u| format!("unique {}", u.columns.len()));
    let first = |i: &&crate::schema::Index| i.parts.first().and_then(|p| p.column.as_ref()).is_some_and(|c| name::same(c, &column.name));
    unique.chain(table.indexes.iter().filter(first).map(|i| format!("index {}", i.parts.len()))).collect()
}

/// What checks say of a column alone.
fn checks(table: &Table, column: &Column) -> Vec<String> {
    let says = table.checks.iter().flat_map(|c| crate::sql::limits(&c.expression, table.engine));
    says.filter(|(of, _)| name::same(of, &column.name)).map(|(_, says)| format!("{says:?}")).collect()
}

/// 2: both have the same; 1: neither has anything; 0: they differ.
fn alike<T: PartialEq>(lost: &[T], new: &[T]) -> usize {
    match (lost.is_empty(), new.is_empty()) {
        (true, true) => 1,
        _ if lost == new => 2,
        _ => 0,
    }
}

/// How a name is rewritten to another: what goes and what comes, where the rest is the same words.
fn rewriting(a: &[String], b: &[String]) -> Option<(String, String)> {
    let front = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let back = a[front..].iter().rev().zip(b[front..].iter().rev()).take_while(|(x, y)| x == y).count();
    let (gone, come) = (&a[front..a.len() - back], &b[front..b.len() - back]);
    // Something has to stay, in both.
    let stays = front + back > 0 && (!gone.is_empty() || !come.is_empty());
    stays.then(|| (gone.join(" "), come.join(" ")))
}
