//! Patterns of names as people write them: `*`, `?` and `{this,that}`, without regard to case.

use super::{fold, words};
use globset::{GlobBuilder, GlobSet, GlobSetBuilder};
use serde::Deserialize;
use std::ops::Deref;
use std::sync::OnceLock;

/// Patterns that names are held against. They are compiled together, once, when they are first asked: one look at a name then
/// answers for all of them.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(from = "Vec<String>")]
pub struct Patterns {
    texts: Vec<String>,
    compiled: OnceLock<GlobSet>,
}

impl Patterns {
    /// Of these texts. One that is no pattern (a brace that never closes) fits nothing but itself.
    pub fn new(texts: Vec<String>) -> Patterns {
        Patterns { texts, compiled: OnceLock::new() }
    }

    /// Whether a name fits one of them.
    pub fn fit(&self, name: &str) -> bool {
        !self.texts.is_empty() && self.compiled().is_match(fold(name))
    }

    /// Whether a name fits one of them, as it is written or by its words: `createdAt` fits `created_at`.
    pub fn fit_words(&self, name: &str) -> bool {
        if self.texts.is_empty() {
            return false;
        }
        let (plain, spoken) = (fold(name), words(name).join("_"));
        let compiled = self.compiled();
        compiled.is_match(&plain) || spoken != plain && compiled.is_match(&spoken)
    }

    fn compiled(&self) -> &GlobSet {
        self.compiled.get_or_init(|| {
            let mut all = GlobSetBuilder::new();
            for text in &self.texts {
                // Names aren't paths: a slash is a sign like any other.
                let glob =
                    |text: &str| GlobBuilder::new(text).literal_separator(false).empty_alternates(true).backslash_escape(true).build();
                let text = fold(text);
                if let Ok(glob) = glob(&text).or_else(|_| glob(&globset::escape(&text))) {
                    all.add(glob);
                }
            }
            all.build().unwrap_or_default()
        })
    }
}

impl Deref for Patterns {
    type Target = [String];

    fn deref(&self) -> &[String] {
        &self.texts
    }
}

impl PartialEq for Patterns {
    fn eq(&self, other: &Patterns) -> bool {
        self.texts == other.texts
    }
}

impl Eq for Patterns {}

impl From<Vec<String>> for Patterns {
    fn from(texts: Vec<String>) -> Patterns {
        Patterns::new(texts)
    }
}

impl From<&[String]> for Patterns {
    fn from(texts: &[String]) -> Patterns {
        Patterns::new(texts.to_vec())
    }
}

impl From<&str> for Patterns {
    fn from(text: &str) -> Patterns {
        Patterns::new(vec![text.to_owned()])
    }
}

/// Whether the name of a question or follow-up fits a pattern: `*` stands for anything, also across its parts.
pub fn fitting(pattern: &str) -> impl Fn(&str) -> bool {
    let pattern = Patterns::from(pattern);
    move |name| pattern.fit(name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_fit_names_as_people_mean_them() {
        for (pattern, name, fits, fits_words) in [
            ("created_at", "CreatedAt", false, true),
            ("created_at", "CREATED_AT", true, true),
            ("{,*_}iban", "iban", true, true),
            ("{,*_}iban", "bank_iban", true, true),
            ("{,*_}iban", "ibanist", false, false),
            ("*", "anything", true, true),
            ("*", "a/b", true, true),
            ("rename/*", "rename/keeper.phone", true, true),
            ("hive?", "hive2", true, true),
            ("{a", "{a", true, true),
            ("{a", "a", false, false),
            ("größe", "größe", true, true),
        ] {
            let patterns = Patterns::from(pattern);
            assert_eq!((patterns.fit(name), patterns.fit_words(name)), (fits, fits_words), "{pattern} {name}");
        }
        assert!(!Patterns::default().fit(""));
    }
}
