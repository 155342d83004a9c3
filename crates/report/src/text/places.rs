//! Where findings stand: pages, place, and the line itself.

use super::quote::quote;
use super::style::{edges, wrapped};
use crate::Report;
use ysomorph_core::impact::{Finding, Location};
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
    let words = ["condition", "filter", "formula", "old-name", "rule-broken", "source-broken"];
    let own_text = finding.rule.starts_with("definition/") || words.iter().any(|word| finding.rule.contains(word));
    let at = finding.at.as_ref().filter(|_| own_text);
    let line = at.and_then(|at| {
        let text = report.texts.get(&at.file)?;
        quote(text, at.line, at.column, culprit(finding, text, at))
    });
    line.unwrap_or_default()
}

/// How long the culprit is: of the names the message quotes, the one that stands at the place.
fn culprit(finding: &Finding, text: &str, at: &Location) -> usize {
    let line = usize::try_from(at.line).ok().and_then(|line| text.lines().nth(line.checked_sub(1)?)).unwrap_or_default();
    let start: String = line.chars().skip(usize::try_from(at.column).unwrap_or(1).saturating_sub(1)).collect();
    let quoted = finding.message.split('`').skip(1).step_by(2).map(|name| name.rsplit('.').next().unwrap_or(name));
    quoted.filter(|name| start.trim_start_matches('"').starts_with(name)).map(|name| name.chars().count()).max().unwrap_or(1)
}
