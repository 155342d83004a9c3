//! What two names have in common, by words that are rare in the schema.

use crate::name;
use crate::schema::{Schema, Table};
use std::collections::BTreeMap;

/// How rare words are among the columns of two schemas.
#[derive(Debug, Default)]
pub struct Names {
    counts: BTreeMap<String, usize>,
    columns: usize,
}

/// What two names have in common.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Likeness {
    /// The same letters.
    Same,
    /// The same, but for words that their neighbours share, or that their tables are called by.
    SameRest,
    /// Every word of one is a word of the other, or abbreviates it.
    Abbreviated,
    /// All that is rare in one is in the other, which says more.
    Part,
    /// A share of what is rare, from 0 to 1.
    Share(f64),
    /// Letters alone.
    Edits,
}

/// A name taken apart, once for all it is compared with.
#[derive(Debug, Clone)]
pub struct Spoken {
    words: Vec<String>,
    /// All its letters.
    letters: String,
    /// The words that say something, and their letters.
    rest: Vec<String>,
    rest_letters: String,
}

impl Spoken {
    /// A name, beside words that say nothing there.
    pub fn of(name: &str, saying_nothing: &[String]) -> Spoken {
        let words = name::words(name);
        let rest: Vec<String> = words.iter().filter(|w| !saying_nothing.contains(w)).cloned().collect();
        let rest = if rest.is_empty() { words.clone() } else { rest };
        Spoken { letters: words.concat(), rest_letters: rest.concat(), words, rest }
    }

    /// Its words.
    pub fn words(&self) -> &[String] {
        &self.words
    }
}

impl Names {
    /// Counts the words of both schemas' columns.
    pub fn of(accepted: &Schema, changed: &Schema) -> Names {
        // Most names stand in many tables: each is taken apart once.
        let mut columns: BTreeMap<&str, usize> = BTreeMap::new();
        for column in accepted.tables.iter().chain(&changed.tables).flat_map(|t| &t.columns) {
            *columns.entry(&column.name).or_default() += 1;
        }
        let mut names = Names { columns: columns.values().sum(), ..Names::default() };
        for (column, seen) in columns {
            for word in name::words(column) {
                *names.counts.entry(word).or_default() += seen;
            }
        }
        names
    }

    /// How much a word says: nothing of what most columns have.
    fn weight(&self, word: &str) -> f64 {
        let seen = self.counts.get(word).copied().unwrap_or(1).max(1);
        (1.0 + self.columns as f64 / seen as f64).ln().max(0.1)
    }

    /// The words that say nothing within a table: those of its own name, and what most of its columns begin with.
    pub fn shared_words(&self, table: &Table) -> Vec<String> {
        let mut first: BTreeMap<String, usize> = BTreeMap::new();
        for column in &table.columns {
            let words = name::words(&column.name);
            if let (Some(word), true) = (words.first(), words.len() > 1) {
                *first.entry(word.clone()).or_default() += 1;
            }
        }
        let most = first.into_iter().filter(|(_, count)| *count * 2 > table.columns.len()).map(|(word, _)| word);
        name::words(name::split_qualified(&table.name).1).into_iter().chain(most).collect()
    }

    /// What two names have in common, both beside the same words that say nothing.
    pub fn likeness(&self, a: &Spoken, b: &Spoken) -> Likeness {
        if a.letters == b.letters {
            return Likeness::Same;
        }
        if a.rest_letters == b.rest_letters {
            return Likeness::SameRest;
        }
        let (ra, rb) = (&a.rest, &b.rest);
        let matched = |x: &[String], y: &[String]| x.iter().all(|w| y.iter().any(|v| is_close(w, v)));
        let initials = |x: &[String], y: &[String]| {
            x.len() == 1 && y.len() > 1 && x[0] == y.iter().filter_map(|w| w.chars().next()).collect::<String>()
        };
        if ra.len() == rb.len() && matched(ra, rb) && matched(rb, ra) || initials(ra, rb) || initials(rb, ra) {
            return Likeness::Abbreviated;
        }
        let (short, long) = if ra.len() <= rb.len() { (ra, rb) } else { (rb, ra) };
        let total = |words: &[String]| words.iter().map(|w| self.weight(w)).sum::<f64>();
        let (whole, in_common) = (total(long).max(total(short)), short.iter().filter(|w| long.iter().any(|v| is_close(w, v))));
        let share = in_common.map(|w| self.weight(w)).sum::<f64>() / whole.max(0.1);
        if matched(short, long) && share >= 0.34 {
            return Likeness::Part;
        }
        let (ca, cb) = (&a.rest_letters, &b.rest_letters);
        let within = ca.len().min(cb.len()) >= 4 && (ca.contains(cb.as_str()) || cb.contains(ca.as_str()));
        if within {
            return Likeness::Part;
        }
        let edits = strsim::normalized_damerau_levenshtein(ca, cb);
        if share < 0.25 && edits >= 0.5 { Likeness::Edits } else { Likeness::Share(share) }
    }
}

/// Whether a word is another one, misspelled, or abbreviated.
fn is_close(a: &str, b: &str) -> bool {
    if a == b {
        return true;
    }
    let (short, long) = if a.len() <= b.len() { (a, b) } else { (b, a) };
    if NUMBER.contains(&short) && NUMBER.contains(&long) {
        return true;
    }
    // `lidnr` and `lidnummer`
    let number = |word: &str| NUMBER.iter().find_map(|n| word.strip_suffix(n).filter(|rest| rest.len() >= 3).map(str::to_owned));
    if number(short).is_some_and(|rest| number(long) == Some(rest)) {
        return true;
    }
    if short.len() >= 4 && strsim::normalized_damerau_levenshtein(short, long) >= 0.7 {
        return true;
    }
    short.len() >= 2 && short.chars().next() == long.chars().next() && (long.starts_with(short) || is_skeleton(short, long))
}

/// What people write for "number".
const NUMBER: [&str; 6] = ["number", "nummer", "numero", "num", "nr", "no"];

/// Whether a word is what is left of another one without its vowels, and perhaps some consonants: `qty`, `nm`, `usr`.
fn is_skeleton(short: &str, long: &str) -> bool {
    let mut letters = long.chars();
    let has_vowels = short.chars().skip(1).any(|c| "aeiou".contains(c));
    !has_vowels && short.chars().all(|c| letters.by_ref().any(|l| l == c)) && short.len() * 4 >= long.len()
}
