//! One definition on many databases: who may be updated, who may not and why.

use super::style::{bold, dim, edges, hint, padded, severity, wrapped};
use crate::several::{Entry, OneOfMany, Several, hinders, some_of};
use crate::stories::counts;
use crate::wording::plural;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::name::shown;

/// Most names of databases in one line.
const MOST_NAMES: usize = 12;

/// Most findings that are told unless all are wanted.
const MOST_FINDINGS: usize = 20;

/// The report of `impact` on several databases.
pub fn several(several: &Several, verbose: bool) -> String {
    let (reached, unreached): (Vec<&OneOfMany>, Vec<&OneOfMany>) = several.databases.iter().partition(|d| d.trouble.is_none());
    let (fit, unfit): (Vec<&OneOfMany>, Vec<&OneOfMany>) = reached.into_iter().partition(|d| d.is_fit());
    let mut out = format!("{}\n", wrapped(&several.outcome(), 0, 0));
    let width = several.databases.iter().map(|d| shown(&d.name).width()).max().unwrap_or(0).min(30);
    let mut list = |title: &str, databases: &[&OneOfMany], text: &dyn Fn(&OneOfMany) -> String| {
        if databases.is_empty() {
            return;
        }
        out.push_str(&format!("\n{}\n", bold(title)));
        for one in databases {
            out.push_str(&format!("  {}  {}\n", padded(&shown(&one.name), width), wrapped(&text(one), width + 4, width + 4)));
        }
    };
    list("Not as it is", &unfit, &|one| format!("{}, by {}", counts(one.totals), plural(one.changes, "change", "changes")));
    list("Couldn't be looked at", &unreached, &|one| shown(one.trouble.as_deref().unwrap_or_default()));
    list("Works", &fit, &|one| match (one.changes, one.totals.note) {
        (0, _) => "nothing changed".to_owned(),
        (n, 0) => format!("{}, nothing breaks", plural(n, "change", "changes")),
        (n, notes) => format!("{}, {}", plural(n, "change", "changes"), plural(notes, "note", "notes")),
    });
    let entries: Vec<Entry<'_>> =
        several.causes().into_iter().flat_map(|(_, entries)| entries).filter(|entry| hinders(entry.first)).collect();
    if !entries.is_empty() {
        out.push_str(&format!("\n{}\n", bold("What breaks, and where")));
    }
    let most = if verbose { entries.len() } else { MOST_FINDINGS };
    for entry in entries.iter().take(most) {
        let (subject, finding) = (entry.subject(), &entry.first.finding);
        let subject = if subject.is_empty() { subject } else { format!("{subject}: ") };
        out.push_str(&format!("  {} {}\n", severity(finding.severity), wrapped(&format!("{subject}{}", shown(&finding.message)), 8, 8)));
        let at = entry.places.first().cloned().unwrap_or_default();
        let more = if entry.places.len() > 1 { format!(" and {} more", entry.places.len() - 1) } else { String::new() };
        out.push_str(&format!("{}\n", edges(&format!("        {at}{more}"), finding.rule)));
        out.push_str(&format!("        {}\n", dim(wrapped(&format!("on {}", some_of(&entry.first.databases, MOST_NAMES)), 8, 8))));
    }
    if entries.len() > most {
        let more = plural(entries.len() - most, "more finding", "more findings");
        out.push_str(&format!("  {}\n", dim(format!("… and {more}: --verbose shows them"))));
    }
    out.push_str(&format!("\n{}\n", hint("ysomorph impact --changed SOURCE   (one of them in full)")));
    out
}
