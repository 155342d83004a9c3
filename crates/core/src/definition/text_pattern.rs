//! The regular expression that a field's text must match.

use regex::{Regex, RegexBuilder};
use std::sync::OnceLock;

/// Most bytes that a compiled expression may take: who writes one of more would have every form wait for it.
const LARGEST: usize = 1 << 20;

/// A field's `pattern`. The whole text must match it, as in a browser's forms. It is compiled when it is first asked.
#[derive(Debug, Clone)]
pub struct TextPattern {
    text: String,
    compiled: OnceLock<Option<Regex>>,
}

impl TextPattern {
    /// An expression as written.
    pub fn new(text: String) -> TextPattern {
        TextPattern { text, compiled: OnceLock::new() }
    }

    /// As written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether a text matches it as a whole; nothing does where it can't be read.
    pub fn fits(&self, text: &str) -> bool {
        self.compiled.get_or_init(|| compiled(&self.text).ok()).as_ref().is_some_and(|known| known.is_match(text))
    }

    /// What can't be read of it, in a sentence. Neither what looks ahead or behind nor what refers back is read.
    pub fn problem(text: &str) -> Option<String> {
        compiled(text).err()
    }
}

fn compiled(text: &str) -> Result<Regex, String> {
    // By itself first: a bracket too many must not close ours.
    let compile = |text: &str| RegexBuilder::new(text).size_limit(LARGEST).build();
    compile(text).and_then(|_| compile(&format!("^(?:{text})$"))).map_err(|error| match error {
        regex::Error::CompiledTooBig(_) => "it is too large".to_owned(),
        other => other.to_string().lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned(),
    })
}

#[cfg(test)]
mod tests {
    use super::TextPattern;

    #[test]
    fn the_whole_text_has_to_match() {
        for (pattern, text, wanted) in [
            ("[A-Z]{2}\\d{4}", "DE1234", true),
            ("[A-Z]{2}\\d{4}", "xDE1234", false),
            ("[A-Z]{2}\\d{4}", "DE1234x", false),
            ("a|b", "ab", false),
            ("^a$", "a", true),
            ("\\w+", "Grüße", true),
            (".*", "two\nlines", false),
        ] {
            assert_eq!(TextPattern::new(pattern.to_owned()).fits(text), wanted, "{pattern} {text}");
        }
        for (wrong, told) in
            [("(a", "unclosed group"), ("a)|(b", "unopened group"), ("(?=a)", "look-around"), ("(a{500}){500}", "too large")]
        {
            let error = TextPattern::problem(wrong).unwrap();
            assert!(error.contains(told), "{wrong}: {error}");
        }
    }
}
