//! What breaks: worst first, grouped by entity.

use super::follow_ups;
use super::places::{on_pages, position};
use super::style::{bold, dim, good, hint, severity, wrapped};
use crate::Report;
use crate::stories::{counts, remedy};
use crate::wording::{phrase, plural};
use std::collections::BTreeMap;
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

/// The report of `check`.
pub fn check(report: &Report) -> String {
    let findings = report.findings.as_deref().unwrap_or_default();
    let totals = report.totals.unwrap_or_default();
    let (entities, pages) = report.counts;
    let size = format!("{}, {}", plural(entities, "entity", "entities"), plural(pages, "page", "pages"));
    let mut follow_ups = match follow_ups::count(&report.open_follow_ups) {
        open if open.is_empty() => String::new(),
        open => format!("{open}\n"),
    };
    follow_ups.push_str(&follow_ups::joined(report, "are read as both sides together"));
    if !report.joined.is_empty() {
        follow_ups.push_str(&format!("\n{}\n", hint("ysomorph merge --write   (writes them so)")));
    } else if !follow_ups.is_empty() {
        follow_ups.push_str(&format!("\n{}\n", hint("ysomorph decide --list")));
    }
    if findings.is_empty() {
        return format!("{}: {size}, 0 findings\n{follow_ups}", good("Sound"));
    }
    let verdict = if totals.breaks + totals.risk > 0 { "Not sound" } else { "Sound" };
    let shown = if report.verbose { findings } else { &findings[..findings.len().min(MOST_SHOWN)] };
    let rest = match findings.len() - shown.len() {
        0 => String::new(),
        more => format!("\n{}\n", dim(format!("… and {}: --verbose shows them", plural(more, "more finding", "more findings")))),
    };
    let follow_ups = if follow_ups.is_empty() { String::new() } else { format!("\n{follow_ups}") };
    format!("{verdict}: {size}, {}.\n{}{rest}{follow_ups}", counts(totals), listed(report, shown))
}

/// Most findings that `check` shows unless all are wanted.
const MOST_SHOWN: usize = 100;

/// The report of `rehearse`.
pub fn rehearse(report: &Report) -> String {
    let Some(rehearsal) = &report.rehearsal else { return String::new() };
    let what = format!("{} of {}", plural(rehearsal.statements, "statement", "statements"), plural(rehearsal.pages.len(), "page", "pages"));
    let role = rehearsal.role.as_ref().map_or_else(String::new, |role| format!(" as {}", shown(role)));
    let findings = report.findings.as_deref().unwrap_or_default();
    if findings.is_empty() {
        return format!("{}: {what} prepared on {}{role}, none refused.\n", good("All accepted"), rehearsal.engine);
    }
    let mut pages: Vec<(&Option<String>, &String)> = findings.iter().flat_map(|f| f.pages.iter().map(|p| (&f.entity, p))).collect();
    pages.sort();
    pages.dedup();
    let (refused, concerned) = (rehearsal.refused, plural(pages.len(), "page", "pages"));
    let head = format!("{}{role} refuses {refused} of {what}; {concerned} can't work.\n", rehearsal.engine);
    let next = hint("ysomorph impact   (why, and what a merge does about it)");
    format!("{head}{}\n{next}\n", listed(report, findings))
}

/// Findings by entity, the entity with the worst first; what is the same on several pages is told once.
pub(super) fn listed(report: &Report, findings: &[Finding]) -> String {
    let mut out = String::new();
    for own in grouped(findings.iter(), |f| &f.entity) {
        let title = own.first().and_then(|f| f.entity.as_ref()).map_or_else(|| "app".to_owned(), |e| shown(e));
        out.push_str(&format!("\n{}\n", bold(title)));
        for same in grouped(own.into_iter(), |f| (f.rule, &f.message, &f.field, &f.role)) {
            if let Some(first) = same.first() {
                out.push_str(&one(report, first, &same));
            }
        }
    }
    out
}

/// Findings of one key together, in the order of each key's first.
fn grouped<'a, K: Ord>(findings: impl Iterator<Item = &'a Finding>, key: impl Fn(&'a Finding) -> K) -> Vec<Vec<&'a Finding>> {
    let mut groups: Vec<Vec<&Finding>> = Vec::new();
    let mut places: BTreeMap<K, usize> = BTreeMap::new();
    for finding in findings {
        let place = *places.entry(key(finding)).or_insert(groups.len());
        match groups.get_mut(place) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    groups
}

fn one(report: &Report, finding: &Finding, same: &[&Finding]) -> String {
    let mut out = format!("  {} {}\n", severity(finding.severity), wrapped(&shown(&finding.message), 8, 8));
    out.push_str(&on_pages(same.iter().copied()));
    out.push_str(&position(report, finding));
    let then = remedy(finding).map(str::to_owned);
    let cause = finding.cause.and_then(|at| report.changes.get(at)).map(phrase);
    let parts: Vec<String> =
        [cause.map(|c| format!("because {c}")), then, Some(shown(&finding.help))].into_iter().flatten().filter(|t| !t.is_empty()).collect();
    if !parts.is_empty() {
        out.push_str(&format!("        {}\n", dim(wrapped(&parts.join("; "), 8, 8))));
    }
    out
}
