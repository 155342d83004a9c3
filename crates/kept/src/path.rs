//! Keys as TOML writes them.

/// The parts of a key, each without its quotes.
pub(crate) fn parts(text: &str) -> Vec<String> {
    toml_edit::Key::parse(text.trim())
        .map(|keys| keys.iter().map(|k| k.get().to_owned()).collect())
        .unwrap_or_else(|_| vec![text.trim().to_owned()])
}
