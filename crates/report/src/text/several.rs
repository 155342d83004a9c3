//! One definition on many databases: who may be updated, who may not and why.

use super::style::{bold, dim, edges, hint, padded, severity, wrapped};
use crate::several::{OneOfMany, Several, hinders, some_of};
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
    let hindering: Vec<_> = several.findings.iter().filter(|s| hinders(s)).collect();
    if !hindering.is_empty() {
        out.push_str(&format!("\n{}\n", bold("What breaks, and where")));
    }
    let most = if verbose { hindering.len() } else { MOST_FINDINGS };
    for shared in hindering.iter().take(most) {
        let finding = &shared.finding;
        let entity = finding.entity.as_deref().map_or_else(String::new, |e| format!("{}: ", shown(e)));
        out.push_str(&format!("  {} {}\n", severity(finding.severity), wrapped(&format!("{entity}{}", shown(&finding.message)), 8, 8)));
        let at = finding.at.as_ref().map_or_else(String::new, |at| format!("{}:{}:{}", shown(&at.file), at.line, at.column));
        out.push_str(&format!("{}\n", edges(&format!("        {at}"), finding.rule)));
        out.push_str(&format!("        {}\n", dim(wrapped(&format!("on {}", some_of(&shared.databases, MOST_NAMES)), 8, 8))));
    }
    if hindering.len() > most {
        let more = plural(hindering.len() - most, "more finding", "more findings");
        out.push_str(&format!("  {}\n", dim(format!("… and {more}: --verbose shows them"))));
    }
    out.push_str(&format!("\n{}\n", hint("ysomorph impact --changed SOURCE   (one of them in full)")));
    out
}
