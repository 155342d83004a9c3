//! What is left to people: worst first, each with the name that closes it.

use super::places::{on_pages, quoted};
use super::style::{bold, dim, edges, severity, width, wrapped};
use crate::report::FollowUpReport;
use crate::wording::plural;
use crate::{OpenFollowUp, Report};
use unicode_width::UnicodeWidthStr;
use ysomorph_core::impact::Severity;
use ysomorph_core::impact::named::OLD_NAME;
use ysomorph_core::name::shown;

/// Most places of one follow-up that are listed.
const MOST_PLACES: usize = 10;

/// What a merge leaves to people.
pub(super) fn new(report: &Report, follow_ups: &[FollowUpReport]) -> String {
    if follow_ups.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", bold("Left to you"));
    let mut rest = follow_ups;
    while let Some(first) = rest.first() {
        let (same, others) = rest.split_at(rest.iter().take_while(|f| is_same(first, f)).count());
        rest = others;
        out.push_str(&one(report, first, same));
    }
    let is_sql = |f: &FollowUpReport| f.finding.rule == OLD_NAME && f.finding.severity == Severity::Break;
    if report.patch.is_none() && follow_ups.iter().any(is_sql) {
        let text = "SQL of your own: `ysomorph merge --patch FILE` writes a patch that gives it the new names, for `git apply`.";
        out.push_str(&format!("  {}\n", dim(wrapped(text, 2, 2))));
    }
    out
}

fn is_same(a: &FollowUpReport, b: &FollowUpReport) -> bool {
    a.name == b.name && a.finding.message == b.finding.message && a.finding.severity == b.finding.severity
}

fn one(report: &Report, first: &FollowUpReport, same: &[FollowUpReport]) -> String {
    let finding = &first.finding;
    let message = about(finding.entity.as_deref(), &finding.message);
    let mut out = format!("  {} {}\n", severity(finding.severity), wrapped(&message, 8, 8));
    out.push_str(&on_pages(same.iter().map(|f| &f.finding)));
    let mut places: Vec<String> = Vec::new();
    for at in same.iter().filter_map(|f| f.finding.at.as_ref()) {
        let place = format!("{}:{}:{}", shown(&at.file), at.line, at.column);
        if !places.contains(&place) {
            places.push(place);
        }
    }
    out.push_str(&closed_by(places.first().map_or("", String::as_str), &first.name));
    out.push_str(&quoted(report, finding));
    for place in places.iter().skip(1).take(MOST_PLACES) {
        out.push_str(&format!("        {place}\n"));
    }
    if places.len() > MOST_PLACES + 1 {
        out.push_str(&format!("        {}\n", dim(format!("and {}", plural(places.len() - MOST_PLACES - 1, "more place", "more places")))));
    }
    if !finding.help.is_empty() {
        out.push_str(&format!("        {}\n", dim(wrapped(&shown(&finding.help), 8, 8))));
    }
    out
}

fn about(entity: Option<&str>, message: &str) -> String {
    let entity = entity.map(|entity| format!("{}: ", shown(entity))).unwrap_or_default();
    format!("{entity}{}", shown(message))
}

/// Where it stands, with the name that closes it at the edge, or below where both don't fit.
fn closed_by(place: &str, name: &str) -> String {
    let (place, name) = (format!("        {place}"), format!("done/{}", shown(name)));
    if place.width() + name.width() + 2 <= width() || place.trim().is_empty() {
        return format!("{}\n", edges(&place, &name));
    }
    format!("{place}\n{}\n", edges("", &name))
}

/// Follow-ups that earlier merges left, by the names that close them.
pub(super) fn still_open(open: &[OpenFollowUp]) -> String {
    if open.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", bold("Left to you by earlier merges"));
    for left in open {
        let places = if left.places > 1 { format!(" ({})", plural(left.places, "place", "places")) } else { String::new() };
        let file = left.file.as_ref().map(|file| shown(file)).unwrap_or_default();
        out.push_str(&format!(
            "  {} {}\n",
            severity(left.severity),
            wrapped(&format!("{}{places}", about(left.entity.as_deref(), &left.message)), 8, 8)
        ));
        out.push_str(&closed_by(&file, &left.name));
    }
    out
}

/// The files in which version control left conflicts that nobody has to settle by hand, and what becomes of them.
pub(super) fn joined(report: &Report, fate: &str) -> String {
    if report.joined.is_empty() {
        return String::new();
    }
    let files: Vec<String> = report.joined.iter().map(|file| shown(file)).collect();
    let text =
        format!("Two branches met in {} of the workspace's own: they {fate} ({}).", plural(files.len(), "file", "files"), files.join(", "));
    format!("{}\n", wrapped(&text, 0, 0))
}

/// How many follow-ups are open, in words.
pub(super) fn count(open: &[OpenFollowUp]) -> String {
    let worst = open.iter().filter(|f| f.severity != Severity::Note).count();
    match (open.len(), worst) {
        (0, _) => String::new(),
        (all, worst) if worst == all => format!("{} open", plural(all, "follow-up", "follow-ups")),
        (all, worst) => format!("{} open, {worst} of them to be looked at first", plural(all, "follow-up", "follow-ups")),
    }
}
