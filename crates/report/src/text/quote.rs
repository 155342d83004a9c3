//! A line of a file with the culprit underlined.

use super::style::{bad, dim};
use unicode_width::UnicodeWidthStr;
use ysomorph_core::name::shown;

/// Quotes a line (from 1) with a marker under `length` characters from `column` (from 1).
pub fn quote(text: &str, line: u32, column: u32, length: usize) -> Option<String> {
    let index = usize::try_from(line).ok()?.checked_sub(1)?;
    let content = text.trim_start_matches('\u{feff}').lines().nth(index)?.replace('\t', " ");
    let before: String = content.chars().take(usize::try_from(column).ok()?.saturating_sub(1)).collect();
    // A long line is shown around its culprit.
    let skip = before.chars().count().saturating_sub(44);
    let visible: String = content.chars().skip(skip).take(68).collect();
    let pad = before.chars().skip(skip).collect::<String>().width();
    let (lead, number) = (if skip > 0 { "…" } else { "" }, format!("{line:>5}"));
    Some(format!(
        "{} {lead}{}\n{} {}{}\n",
        dim(format!("{number} |")),
        shown(&visible),
        dim("      |"),
        " ".repeat(pad + lead.width()),
        bad("^".repeat(length.clamp(1, 60)))
    ))
}
