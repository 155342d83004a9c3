//! What a column's data looks like, without the data: counts, a range, and hashes of a sample.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How many hashes a sample keeps.
pub const SAMPLE: usize = 64;

/// A column's data in short. Values themselves are never kept, only hashes of some, made with a key that stands
/// elsewhere: without it no value can be found by trying.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Fingerprint {
    /// The table.
    #[serde(with = "crate::name::as_written")]
    #[schemars(with = "String")]
    pub table: String,
    /// The column.
    pub column: String,
    /// Records looked at.
    pub records: u64,
    /// Records with a value.
    pub filled: u64,
    /// Different values among them.
    pub distinct: u64,
    /// Length of the shortest value as text.
    pub shortest: u64,
    /// Length of the longest value as text.
    pub longest: u64,
    /// Which key the hashes are made with, by a hash of the key's own.
    #[serde(default)]
    pub key: String,
    /// The least hashes of the different values, sorted: of two columns with the same values they are the same.
    pub sample: Vec<String>,
}

impl Fingerprint {
    /// How much of the values two columns share, from 0 to 1; `None` where there are too few to tell, or
    /// the hashes were made with different keys.
    ///
    /// The estimate is the share of the least hashes of both that are in both (bottom-k sketches, Cohen and Kaplan
    /// 2007).
    pub fn likeness(&self, other: &Fingerprint) -> Option<f64> {
        let few = |f: &Fingerprint| f.sample.len() < 6;
        if few(self) || few(other) || self.key != other.key {
            return None;
        }
        let mut all: Vec<&String> = self.sample.iter().chain(&other.sample).collect();
        all.sort();
        all.dedup();
        all.truncate(SAMPLE);
        let shared = all.iter().filter(|h| self.sample.contains(h) && other.sample.contains(h)).count();
        Some(shared as f64 / all.len() as f64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn likeness_is_the_share_of_common_values_and_silent_on_few() {
        let of = |from: u32, to: u32| Fingerprint { sample: (from..to).map(|n| format!("{n:04}")).collect(), ..Fingerprint::default() };
        assert_eq!(of(0, 10).likeness(&of(0, 10)), Some(1.0));
        assert_eq!(of(0, 10).likeness(&of(10, 20)), Some(0.0));
        assert_eq!(of(0, 20).likeness(&of(10, 30)).map(|l| (l * 10.0).round()), Some(3.0));
        assert_eq!(of(0, 3).likeness(&of(0, 3)), None);
        assert_eq!(of(0, 10).likeness(&Fingerprint { key: "another".into(), ..of(0, 10) }), None);
    }
}
