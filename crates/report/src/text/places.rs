//! Where findings stand: pages, place, and the line itself.

use super::quote::quote;
use super::style::{edges, wrapped};
use crate::Report;
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

/// The pages that findings are about, with where on them.
pub(super) fn on_pages<'f>(findings: impl Iterator<Item = &'f Finding>) -> String {
    let mut pages: Vec<String> = Vec::new();
    for finding in findings {
        for page in &finding.pages {
            let places = if finding.places.is_empty() { String::new() } else { format!(" ({})", finding.places.join(", ")) };
            pages.push(format!("{}{places}", shown(page)));
        }
    }
    if pages.is_empty() {
        return String::new();
    }
    let label = if pages.len() == 1 { "on page " } else { "on pages " };
    format!("        {label}{}\n", wrapped(&pages.join(", "), 8 + label.len(), 8))
}

/// Where the element stands, with the rule at the edge; quoted where the definition's own text matters.
pub(super) fn position(report: &Report, finding: &Finding) -> String {
    let at = finding.at.as_ref();
    let place = at.map_or_else(String::new, |at| format!("{}:{}:{}", shown(&at.file), at.line, at.column));
    format!("{}\n{}", edges(&format!("        {place}"), finding.rule), quoted(report, finding))
}

/// The line a finding is about, where the definition's own text matters.
pub(super) fn quoted(report: &Report, finding: &Finding) -> String {
    let line = finding.at.as_ref().zip(finding.culprit.as_ref()).and_then(|(at, culprit)| {
        let text = report.texts.get(&at.file)?;
        quote(text, at.line, at.column, culprit.chars().count().max(1))
    });
    line.unwrap_or_default()
}
