//! A patch that gives hand-written code the new names: a unified diff, as version control takes it.

use crate::wording::is_called_now;
use similar::TextDiff;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::impact::Rewritten;

/// The patch for these files, by name. What stands above the first file is for people; nothing at all where there is no file.
pub fn patch(files: &BTreeMap<String, Rewritten>) -> String {
    if files.is_empty() {
        return String::new();
    }
    let mut out = "Hand-written code under the names that the database has now.\n".to_owned();
    let met: BTreeSet<String> = files.values().flat_map(|file| &file.changes).map(is_called_now).collect();
    met.iter().for_each(|line| out.push_str(&format!("  {line}\n")));
    out.push('\n');
    for (file, text) in files {
        let header = |side: &str| named(&format!("{side}/{file}"));
        let diff = TextDiff::from_lines(&*text.before, text.after.as_str());
        out.push_str(&diff.unified_diff().context_radius(3).header(&header("a"), &header("b")).to_string());
    }
    out
}

/// A file's name as a diff's header has it: in quotes where it would be read otherwise, ended by a tab where it has a blank.
fn named(path: &str) -> String {
    if path.contains(|c: char| c.is_control() || c == '"' || c == '\\') {
        let escaped: String = path
            .bytes()
            .map(|byte| match byte {
                b'"' | b'\\' => format!("\\{}", char::from(byte)),
                b' '..=b'~' => char::from(byte).to_string(),
                _ => format!("\\{byte:03o}"),
            })
            .collect();
        return format!("\"{escaped}\"");
    }
    if path.contains(' ') { format!("{path}\t") } else { path.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::named;

    #[test]
    fn names_are_quoted_where_a_diff_would_read_them_otherwise() {
        for (path, expected) in [("a/x.sql", "a/x.sql"), ("a/my x.sql", "a/my x.sql\t"), ("a/\"x\"ü\n", "\"a/\\\"x\\\"\\303\\274\\012\"")]
        {
            assert_eq!(named(path), expected);
        }
    }
}
