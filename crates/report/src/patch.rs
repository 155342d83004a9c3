//! A patch that gives hand-written code the new names: a unified diff, as version control takes it.

use crate::hunks::hunks;
use crate::wording::is_called_now;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::impact::Rewritten;

/// Lines around each change, as version control takes them to find its place.
const AROUND: usize = 3;

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
        let hunks = hunks(&text.before, &text.after, AROUND);
        if !hunks.is_empty() {
            out.push_str(&format!("--- {}\n+++ {}\n", header("a"), header("b")));
        }
        for hunk in hunks {
            out.push_str(&format!("{}\n", hunk.header));
            for (tag, line) in hunk.lines {
                let end = if line.ends_with('\n') { "" } else { "\n\\ No newline at end of file\n" };
                out.push_str(&format!("{tag}{line}{end}"));
            }
        }
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
    use super::*;

    #[test]
    fn names_are_quoted_where_a_diff_would_read_them_otherwise() {
        for (path, expected) in [("a/x.sql", "a/x.sql"), ("a/my x.sql", "a/my x.sql\t"), ("a/\"x\"ü\n", "\"a/\\\"x\\\"\\303\\274\\012\"")]
        {
            assert_eq!(named(path), expected);
        }
    }

    #[test]
    fn line_ends_stay_and_one_that_is_missing_is_told() {
        let before = "SELECT place\r\nFROM hive\nWHERE 1 = 1\n\n-- end\rof it\nplace";
        let after = "SELECT town\r\nFROM hive\nWHERE 1 = 1\n\n-- end\rof it\ntown";
        let text = Rewritten { before: before.into(), after: after.to_owned(), changes: Vec::new() };
        let told = patch(&[("a.sql".to_owned(), text)].into());
        let (_, diff) = told.split_once("\n\n").unwrap();
        let expected = "--- a/a.sql\n+++ b/a.sql\n@@ -1,6 +1,6 @@\n-SELECT place\r\n+SELECT town\r\n FROM hive\n WHERE 1 = 1\n \n -- end\rof it\n\
            -place\n\\ No newline at end of file\n+town\n\\ No newline at end of file\n";
        assert_eq!(diff, expected);
    }
}
