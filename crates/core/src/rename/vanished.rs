//! Names of what is gone while something else has its name.

/// What is appended to the name of something gone whose name another thing has now: no name of a database by itself.
const GONE: &str = " (gone)";

/// A free name for something gone whose name another thing has now.
pub(crate) fn gone_name(name: &str, is_taken: impl Fn(&str) -> bool) -> String {
    (1..).map(|n| format!("{name}{}", GONE.repeat(n))).find(|n| !is_taken(n)).unwrap_or_default()
}

/// The name that something gone had.
pub fn without_gone(name: &str) -> &str {
    name.trim_end_matches(GONE)
}
