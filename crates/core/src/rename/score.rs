//! How likely it is that a lost name and a new one are the same thing.
//!
//! Pairing records that may be the same is record linkage (Fellegi and Sunter, "A theory for record linkage", 1969): each sign gives
//! the logarithm of how much likelier its level is in a true pair than in a chance pair of this schema. Their sum, brought to a
//! scale on histories that are kept beside this file, and the prior odds (one lost name, so many new ones) make a probability.

use super::alike::Names;
use super::chance::Chance;
use super::signs::{Pair, Sign};
use super::tables::{self, Rarity};
use super::weights::{CALIBRATED, CALIBRATED_TABLES, TABLES_CHANCE, TABLES_TRUE, TRUE};
use crate::name;
use crate::schema::Column;

/// Log-odds, and what speaks for the pair, the strongest first.
pub type Scored = (f64, Vec<String>);

/// Pairs below these log-odds are not offered: about one in fifty of them is true.
pub const WORTH_ASKING: f64 = -4.0;
/// A pair is presumed from this probability on.
pub const PRESUMED: f64 = 0.5;
/// The most log-odds of a pair that the catalogue's numbers speak against.
pub const CONTRADICTED: f64 = 0.3;
/// What a kept name is worth less where a column seems to have changed places with another.
pub const SAME_NAME: f64 = 3.0;
/// What the same data, or other data, is worth: hardly any two columns hold the same values by chance.
const SAME_DATA: f64 = 7.0;
const OTHER_DATA: f64 = 4.0;
/// No single sign decides.
const STRONGEST: f64 = 5.0;

/// The sum of what each sign says of two columns, not yet on a scale; with what speaks for them, where that is to be told.
pub fn evidence(pair: &Pair<'_>, chance: &Chance, (lost, new): (&Column, &Column), telling: bool) -> Scored {
    let mut told: Vec<(f64, &'static str)> = Vec::new();
    let mut sum = 0.0;
    for (sign, level) in Sign::ALL.into_iter().zip(pair.levels(lost, new)) {
        let weight = (TRUE[sign as usize][level] / chance.of_level(sign, level, lost)).ln().clamp(-STRONGEST, STRONGEST);
        sum += weight;
        told.extend(sign.reason(level).filter(|_| telling && weight > 0.2).map(|reason| (weight, reason)));
    }
    told.sort_by(|a, b| b.0.total_cmp(&a.0));
    (sum, told.into_iter().take(3).map(|(_, reason)| reason.to_owned()).collect())
}

/// Log-odds of two columns; `new_names` is how many new names there are for the lost one.
pub fn columns(pair: &Pair<'_>, chance: &Chance, both: (&Column, &Column), new_names: usize, telling: bool) -> Scored {
    let (sum, reasons) = evidence(pair, chance, both, telling);
    (CALIBRATED.0 * sum + CALIBRATED.1 - (new_names.max(1) as f64).ln(), reasons)
}

/// The same with what the data says, where it was measured: the same values speak for a pair more than any name, and other values
/// against it.
pub fn with_data((odds, mut reasons): Scored, likeness: Option<f64>) -> Scored {
    let Some(likeness) = likeness else { return (odds, reasons) };
    if likeness >= 0.7 {
        reasons.insert(0, format!("the same data ({} % of a sample)", (likeness * 100.0).round()));
        return (odds + SAME_DATA, reasons);
    }
    if likeness <= 0.1 {
        reasons.push("other data".to_owned());
        return (odds - OTHER_DATA, reasons);
    }
    (odds, reasons)
}

/// The same of two columns that one view reads, before and now.
pub fn read_alike((odds, mut reasons): Scored) -> Scored {
    reasons.push("the same view reads it".to_owned());
    (odds + 1.5, reasons)
}

/// The sum of what each sign says of two tables; with what speaks for them, where that is to be told.
pub fn table_evidence((lost, new): (&tables::Known<'_>, &tables::Known<'_>), names: &Names, rarity: &Rarity, telling: bool) -> Scored {
    let (levels, share) = tables::levels(lost, new, names, rarity);
    let mut weights = [0.0; tables::SIGNS];
    for (sign, (weight, level)) in weights.iter_mut().zip(levels).enumerate() {
        *weight = (TABLES_TRUE[sign][level] / TABLES_CHANCE[sign][level]).ln().clamp(-STRONGEST, STRONGEST);
    }
    if !telling {
        return (weights.iter().sum(), Vec::new());
    }
    let mut told: Vec<(f64, String)> = Vec::new();
    let mut say = |sign: usize, says: bool, reason: String| told.extend((says && weights[sign] > 0.2).then_some((weights[sign], reason)));
    let name = if levels[0] >= 5 { "the same name in another spelling" } else { "similar name" };
    say(0, levels[0] >= 2, name.to_owned());
    let columns = if share >= 0.97 { "the same columns".to_owned() } else { format!("{} % of its columns", (share * 100.0).round()) };
    say(1, levels[1] >= 3, columns);
    say(2, levels[2] >= 3, "columns of the same types".to_owned());
    say(3, levels[3] >= 2, "the same tables refer to it".to_owned());
    say(4, levels[4] >= 2, "it refers to the same tables".to_owned());
    told.sort_by(|a, b| b.0.total_cmp(&a.0));
    (weights.iter().sum(), told.into_iter().take(3).map(|(_, reason)| reason).collect())
}

/// Log-odds of two tables.
pub fn tables(both: (&tables::Known<'_>, &tables::Known<'_>), names: &Names, rarity: &Rarity, new_names: usize, telling: bool) -> Scored {
    let (sum, reasons) = table_evidence(both, names, rarity, telling);
    (CALIBRATED_TABLES.0 * sum + CALIBRATED_TABLES.1 - (new_names.max(1) as f64).ln(), reasons)
}

/// The log-odds of lost names: of each, the new names that may be it, by their places.
pub type Odds = Vec<Vec<(usize, f64)>>;

/// The probabilities of all pairs together, as `odds` has them: what speaks for one pair of a name speaks against its others. `new` is
/// how many new names there are.
pub fn probabilities(odds: &Odds, new: usize) -> Odds {
    let plain = |log: f64| log.min(30.0).exp();
    let mut of_new = vec![0.0; new];
    for (at, log) in odds.iter().flatten() {
        if let Some(sum) = of_new.get_mut(*at) {
            *sum += plain(*log);
        }
    }
    let of_row = |row: &Vec<(usize, f64)>| {
        let sum: f64 = row.iter().map(|(_, log)| plain(*log)).sum();
        let probable = |(at, log): &(usize, f64)| {
            let own = plain(*log);
            (*at, own / (1.0 + sum + of_new.get(*at).copied().unwrap_or_default() - own))
        };
        row.iter().map(probable).collect()
    };
    odds.iter().map(of_row).collect()
}

/// Whether a lost name seems to have been split into several new ones, or several to have been joined in one.
pub fn split_or_joined<'l>(lost: &'l str, to: &str, candidates: &[String], other_lost: impl Iterator<Item = &'l str>) -> Option<String> {
    let holds = |whole: &[String], part: &[String]| part.len() < whole.len() && part.iter().all(|w| whole.contains(w));
    let (own, called) = (name::words(lost), name::words(to));
    let parts: Vec<&str> = candidates.iter().filter(|c| holds(&name::words(c), &own)).map(String::as_str).collect();
    if parts.len() > 1 {
        return Some(format!("perhaps split into {}", parts.join(" and ")));
    }
    let joined: Vec<&str> = std::iter::once(lost).chain(other_lost).filter(|l| holds(&name::words(l), &called)).collect();
    (joined.len() > 1).then(|| format!("perhaps {} joined", joined.join(" and ")))
}
