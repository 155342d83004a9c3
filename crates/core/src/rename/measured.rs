//! Measures the model on histories of made-up databases, and counts its true-pair half anew.
//!
//! A history is a schema in the words of the test kit, and steps (`== title`) of what somebody did to it. `a -> b` is a rename; a
//! column that is dropped while another one is added isn't. Each step is measured as three kinds of people would have done it.
//! Some histories, those in `apart/`, are never counted: they tell how well the model does on what it hasn't seen.

use super::alike::Names;
use super::chance::Chance;
use super::signs::{Pair, Sign};
use super::tables::{self, Rarity};
use super::{Evidence, Known, RenameMap, find_renames, score, weights};
use crate::name;
use crate::schema::{Column, Engine, Kind, Pointing, Schema, Table};
use crate::testkit::{schema_on, step};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;

macro_rules! histories {
    ($($file:literal),* $(,)?) => {
        &[$(($file, include_str!(concat!("histories/", $file, ".txt")))),*]
    };
}

const LEARNED: &[(&str, &str)] = histories![
    "archive",
    "choir",
    "clinic",
    "ferry",
    "greenhouse",
    "honey_cooperative",
    "library",
    "sailing_club",
    "shop",
    "timesheets",
    "workshop",
];
const APART: &[(&str, &str)] = histories!["apart/fire_brigade", "apart/museum", "apart/radio", "apart/theatre", "apart/vineyard"];

/// How a change was made.
#[derive(Clone, Copy)]
enum Made {
    /// Columns renamed where they stand, new ones added last.
    Altered,
    /// The statement that creates the table written anew: what is new stands where something was dropped.
    Rewritten,
    /// Copied to new columns, which stand last and are declared otherwise now and then.
    Copied,
}

/// One step of a history.
struct Step {
    told: String,
    before: Schema,
    after: Schema,
    /// True renames, by accepted names: of a table, of a column.
    renames: BTreeMap<(String, Option<String>), String>,
}

fn steps(file: &str, text: &str) -> Vec<Step> {
    let mut all = Vec::new();
    for made in [Made::Altered, Made::Rewritten, Made::Copied] {
        let (schema, rest) = text.split_once("\n== ").unwrap_or_else(|| panic!("{file} has no steps"));
        let schema: String = schema.lines().filter(|l| !l.starts_with('#')).map(|l| format!("{l}\n")).collect();
        let mut before = schema_on(Engine::Postgresql, &schema);
        for told in rest.split("\n== ") {
            let (title, lines) = told.split_once('\n').unwrap_or((told, ""));
            let (after, renames) = made_so(&before, lines, made);
            all.push(Step { told: format!("{file} {title}"), before: before.clone(), after: after.clone(), renames });
            before = after;
        }
    }
    all
}

/// Does a step, and gives the true renames by accepted names.
fn made_so(before: &Schema, lines: &str, made: Made) -> (Schema, BTreeMap<(String, Option<String>), String>) {
    let mut after = before.clone();
    let mut tables: BTreeMap<String, String> = BTreeMap::new();
    // Table, old name, new name.
    let mut columns: Vec<(String, String, String)> = Vec::new();
    // Where something was dropped, by the table's present name.
    let mut holes: BTreeMap<String, usize> = BTreeMap::new();
    for line in lines.lines().map(str::trim).filter(|l| !l.is_empty() && !l.starts_with('#')) {
        let dropped = line.strip_prefix("drop ").and_then(|what| what.split_once('.'));
        if let Some((table, column)) = dropped {
            let at = after.table(table).and_then(|t| t.columns.iter().position(|c| c.name == column));
            holes.insert(table.to_owned(), at.unwrap_or_else(|| panic!("{table}.{column} isn't there")));
        }
        let names: RenameMap = step(&mut after, line);
        for (from, to) in names.table_renames() {
            tables.insert(to.to_owned(), tables.get(from).cloned().unwrap_or_else(|| from.to_owned()));
            for (of, ..) in columns.iter_mut().filter(|(of, ..)| name::same(of, from)) {
                to.clone_into(of);
            }
        }
        columns.extend(names.column_renames().map(|(of, from, to)| (of.to_owned(), from.to_owned(), to.to_owned())));
        let Some((table, added)) = line.split_once(" + ") else { continue };
        if let (Made::Rewritten, Some(at)) = (made, holes.get(table)) {
            let table = table_of(&mut after, table);
            let count =
                added.split(';').filter(|p| table.columns.iter().any(|c| Some(c.name.as_str()) == p.split_whitespace().next())).count();
            let len = table.columns.len();
            let new: Vec<Column> = table.columns.drain(len - count..).collect();
            let at = (*at).min(table.columns.len());
            table.columns.splice(at..at, new);
        }
    }
    if matches!(made, Made::Copied) {
        for (of, _, to) in &columns {
            let table = table_of(&mut after, of);
            if let Some(at) = table.columns.iter().position(|c| c.name == *to) {
                let mut column = table.columns.remove(at);
                declare_otherwise(&mut column);
                table.columns.push(column);
            }
        }
    }
    // Names of tables are folded, as renames keep them.
    let accepted = |table: &String| name::fold(tables.iter().find(|(to, _)| name::same(to, table)).map_or(table, |(_, from)| from));
    let mut renames: BTreeMap<(String, Option<String>), String> = BTreeMap::new();
    for (of, from, to) in &columns {
        renames.insert((accepted(of), Some(from.clone())), to.clone());
    }
    renames.extend(tables.iter().map(|(to, from)| ((name::fold(from), None), to.clone())));
    (after, renames)
}

/// Some columns get another type or another word on empty values with their name, by what the name is.
fn declare_otherwise(column: &mut Column) {
    let of = &mut column.column_type;
    match (column.name.bytes().map(usize::from).sum::<usize>() % 9, of.kind) {
        (0, _) => of.size = of.size.map(|size| size * 2),
        (1, Kind::Integer) => of.kind = Kind::Decimal,
        (1, Kind::Text) => of.size = None,
        (2, Kind::Date) => of.kind = Kind::DateTime,
        (2, Kind::Boolean) => of.kind = Kind::Integer,
        (3, _) => column.nullable = !column.nullable,
        _ => {}
    }
}

fn table_of<'s>(schema: &'s mut Schema, wanted: &str) -> &'s mut Table {
    schema.tables.find_mut(|t| name::same(&t.name, wanted)).unwrap_or_else(|| panic!("there is no table {wanted}"))
}

/// What the model said of histories.
#[derive(Default)]
struct Figures {
    renames: usize,
    offered: usize,
    /// Names that something was offered for, and how many were.
    asked: (usize, usize),
    /// By word: how many renames were presumed so, and how many of them are true.
    by_word: BTreeMap<&'static str, (usize, usize)>,
    wrong: Vec<String>,
    missed: Vec<String>,
}

impl Figures {
    fn of(histories: &[(&str, &str)]) -> Figures {
        let mut figures = Figures::default();
        for step in histories.iter().flat_map(|(file, text)| steps(file, text)) {
            let found = find_renames(&step.before, &step.after, &Known::default());
            figures.renames += step.renames.len();
            let mut right: BTreeSet<&(String, Option<String>)> = BTreeSet::new();
            for rename in &found {
                let key = (name::fold(&rename.table), rename.column.clone());
                let truth = step.renames.get_key_value(&key);
                figures.asked = (figures.asked.0 + 1, figures.asked.1 + rename.candidates.len());
                figures.offered += usize::from(truth.is_some_and(|(_, to)| rename.candidates.contains(to)));
                let Some(to) = &rename.to else { continue };
                let is_right = truth.is_some_and(|(_, true_name)| true_name == to);
                let (all, true_ones) = figures.by_word.entry(rename.evidence.words()).or_default();
                *all += 1;
                *true_ones += usize::from(is_right);
                right.extend(truth.filter(|_| is_right).map(|(key, _)| key));
                if !is_right {
                    let score = if let Evidence::Likely { score, .. } = rename.evidence { score } else { 1.0 };
                    let why = rename.evidence.reasons().join(", ");
                    figures.wrong.push(format!("{}: {key:?} isn't {to} ({score}: {why})", step.told));
                }
            }
            let missed = step.renames.iter().filter(|(key, _)| !right.contains(key));
            figures.missed.extend(missed.map(|(key, to)| format!("{}: {key:?} is {to}", step.told)));
        }
        figures
    }

    fn presumed(&self, without: &str) -> (usize, usize) {
        self.by_word.iter().filter(|(word, _)| **word != without).fold((0, 0), |(all, right), (_, (a, r))| (all + a, right + r))
    }

    fn precision(&self, without: &str) -> f64 {
        let (all, right) = self.presumed(without);
        right as f64 / all.max(1) as f64
    }

    fn recall(&self) -> f64 {
        self.presumed("").1 as f64 / self.renames as f64
    }

    fn told(&self, what: &str) -> String {
        let mut out = format!(
            "{what}: {} renames, precision {:.3} ({:.3} without perhaps), recall {:.3}, true name offered {:.3} (of {:.1} a lost name)\n",
            self.renames,
            self.precision(""),
            self.precision("perhaps"),
            self.recall(),
            self.offered as f64 / self.renames as f64,
            self.asked.1 as f64 / self.asked.0.max(1) as f64,
        );
        for (word, (all, right)) in &self.by_word {
            let _ = writeln!(out, "  {word}: {right} of {all} are true ({:.3})", *right as f64 / (*all).max(1) as f64);
        }
        out
    }
}

/// The histories, measured. `YSOMORPH_TRACE=1` prints what was wrong and what was missed; `YSOMORPH_UPDATE=1` counts anew.
#[test]
fn renames_are_found_as_people_make_them() {
    if std::env::var_os("YSOMORPH_UPDATE").is_some() {
        count();
        return;
    }
    let (learned, apart) = (Figures::of(LEARNED), Figures::of(APART));
    println!("{}{}", learned.told("learned from"), apart.told("kept apart"));
    if std::env::var_os("YSOMORPH_TRACE").is_some() {
        for figures in [&learned, &apart] {
            println!("wrong:\n{}\nmissed:\n{}\n", figures.wrong.join("\n"), figures.missed.join("\n"));
        }
    }
    // What the words promise holds on histories that nothing was counted on.
    let share = |word: &str| apart.by_word.get(word).map_or(1.0, |(all, right)| *right as f64 / (*all).max(1) as f64);
    assert!(share("almost certainly") >= 0.99 && share("probably") >= 0.95 && share("perhaps") >= 0.6, "{}", apart.told("kept apart"));
    let offered = apart.offered as f64 / apart.renames as f64;
    assert!(apart.precision("") >= 0.97 && apart.recall() >= 0.85 && offered >= 0.95, "{}", apart.told("kept apart"));
}

/// The sum of a pair's signs, how many new names there were, and whether it is true.
type Summed = (f64, f64, bool);

/// How often each level was seen.
type Counts<const N: usize> = [[f64; Sign::LEVELS]; N];

/// Counts the levels of true and of chance pairs, and brings the sums to a scale.
fn count() {
    let (mut true_pairs, mut chance_pairs): (Counts<12>, Counts<12>) = Default::default();
    let (mut true_tables, mut chance_tables): (Counts<5>, Counts<5>) = Default::default();
    let (mut sums, mut table_sums): (Vec<Summed>, Vec<Summed>) = (Vec::new(), Vec::new());
    for step in LEARNED.iter().flat_map(|(file, text)| steps(file, text)) {
        let (before, after) = (&step.before, &step.after);
        let names = Names::of(before, after);
        let (chance, rarity) = (Chance::of(before, after, &names), Rarity::of(before, after));
        let mut map = RenameMap::default();
        step.renames.iter().filter(|((_, column), _)| column.is_none()).for_each(|((table, _), to)| map.rename_table(table, to));
        let gone: Vec<_> = before.tables.iter().filter(|t| after.table(&t.name).is_none()).collect();
        let come: Vec<_> = after.tables.iter().filter(|t| before.table(&t.name).is_none()).collect();
        for old in &before.tables {
            let known = tables::Known::of(old, &Pointing::of(before), &rarity);
            for new in after.tables.iter().filter(|n| n.name != old.name) {
                let is_true = map.table(&old.name) == new.name;
                let other = tables::Known::of(new, &Pointing::of(after), &rarity);
                let (levels, _) = tables::levels(&known, &other, &names, &rarity);
                let counts = if is_true { &mut true_tables } else { &mut chance_tables };
                levels.iter().enumerate().for_each(|(sign, level)| counts[sign][*level] += 1.0);
                if is_true || gone.iter().any(|t| t.name == old.name) && come.iter().any(|t| t.name == new.name) {
                    table_sums.push((score::table_evidence((&known, &other), &names, &rarity, false).0, come.len().max(1) as f64, is_true));
                }
            }
        }
        let elsewhere = super::assign::lost_and_gained(before, after, &map);
        let in_others = |a: &str, b: &str| elsewhere.get(&(name::fold(a), name::fold(b))).is_some_and(|tables| *tables > 1);
        for old in &before.tables {
            let Some(new) = after.table(map.table(&old.name)) else { continue };
            let carried = map.applied_to_table(old);
            let pair = Pair::of(&carried, new, &names, &in_others);
            let lost: Vec<&Column> = carried.columns.iter().filter(|c| new.column(&c.name).is_none()).collect();
            let gained: Vec<&Column> = new.columns.iter().filter(|c| carried.column(&c.name).is_none()).collect();
            for a in &lost {
                let truth = step.renames.get(&(name::fold(&old.name), Some(a.name.clone())));
                for b in &gained {
                    let is_true = truth == Some(&b.name);
                    let counts = if is_true { &mut true_pairs } else { &mut chance_pairs };
                    pair.levels(a, b).iter().enumerate().for_each(|(sign, level)| counts[sign][*level] += 1.0);
                    sums.push((score::evidence(&pair, &chance, (a, b), false).0, gained.len() as f64, is_true));
                }
            }
        }
    }
    let written = format!(
        "//! How often each level of each sign is found in true pairs, and in chance pairs of other databases: counted in the histories beside\n\
         //! this file. Written by `scripts/renames`; don't edit it.\n\nuse super::signs::Sign;\n\n\
         /// By sign and level: the share of true pairs that have it.\n\
         pub const TRUE: [[f64; Sign::LEVELS]; Sign::ALL.len()] = {};\n\
         /// The same of chance pairs.\n\
         pub const CHANCE: [[f64; Sign::LEVELS]; Sign::ALL.len()] = {};\n\
         /// What the sum is multiplied by, since signs aren't independent, and what is added for the first guess.\n\
         pub const CALIBRATED: (f64, f64) = {:?};\n\
         /// The same for tables.\n\
         pub const CALIBRATED_TABLES: (f64, f64) = {:?};\n\
         /// Of tables: by sign and level, in true pairs and in chance pairs.\n\
         pub const TABLES_TRUE: [[f64; Sign::LEVELS]; 5] = {};\n\
         /// In chance pairs.\n\
         pub const TABLES_CHANCE: [[f64; Sign::LEVELS]; 5] = {};\n",
        shares(&true_pairs, 0.02),
        shares(&chance_pairs, 0.001),
        scale(&sums),
        scale(&table_sums),
        shares(&true_tables, 0.02),
        shares(&chance_tables, 0.004),
    );
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/src/rename/weights.rs");
    assert_ne!(weights::CALIBRATED.0, 0.0);
    std::fs::write(path, written).expect("weights.rs can be written");
}

/// Counts as shares, none below `least`: what was never seen here may be seen tomorrow.
fn shares<const N: usize>(counts: &Counts<N>, least: f64) -> String {
    let row = |levels: &[f64; Sign::LEVELS]| {
        let all = levels.iter().sum::<f64>().max(1.0);
        let shares: Vec<String> = levels.iter().map(|count| format!("{:.4}", (count / all).max(least))).collect();
        format!("    [{}],\n", shares.join(", "))
    };
    format!("[\n{}]", counts.iter().map(row).collect::<String>())
}

/// The logistic regression of truth on a sum, beside the prior odds of one among so many (Platt, 1999).
fn scale(sums: &[Summed]) -> (f64, f64) {
    let (mut times, mut plus) = (0.5, 0.0);
    let count = sums.len().max(1) as f64;
    for _ in 0..20_000 {
        let (mut by_times, mut by_plus) = (0.0, 0.0);
        for (sum, among, is_true) in sums {
            let probability = 1.0 / (1.0 + (-(times * sum + plus - among.ln())).exp());
            let off = f64::from(u8::from(*is_true)) - probability;
            by_times += off * sum;
            by_plus += off;
        }
        times += 0.05 * by_times / count;
        plus += 0.2 * by_plus / count;
    }
    ((times * 1000.0).round() / 1000.0, (plus * 1000.0).round() / 1000.0)
}
