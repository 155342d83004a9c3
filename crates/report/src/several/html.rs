//! Many databases as one page for a browser.

use super::{Entry, OneOfMany, Several};
use crate::html::words::{looked_at, mark, prose, severity, titled};
use crate::html::{filters, whole};
use crate::stories::counts;
use crate::wording::plural;
use maud::{Markup, html};
use std::collections::BTreeSet;
use ysomorph_core::impact::Severity;
use ysomorph_core::name::shown;

/// More databases than these are folded at a finding.
const FEW: usize = 6;

/// Many databases as HTML.
pub fn to_html(several: &Several) -> String {
    let findings: Vec<_> = several.findings.iter().map(|shared| &shared.finding).collect();
    let databases: BTreeSet<String> = several.findings.iter().flat_map(|s| &s.databases).map(|name| shown(name)).collect();
    let body = html! {
        header {
            p .command-name { (shown(&several.title)) " · " (several.command) }
            h1 { (several.outcome()) }
            dl .facts { (looked_at(&several.when)) }
        }
        @if !findings.is_empty() { (filters(&findings, &databases)) }
        main #content {
            section #databases aria-labelledby="databases-title" {
                h2 #databases-title { "Databases" }
                (table(several))
            }
            section #stories aria-labelledby="stories-title" {
                h2 #stories-title { "What breaks, and where" }
                @if several.findings.is_empty() { p { "Nothing breaks." } }
                @for (because, entries) in several.causes() { (story(several, because, &entries)) }
                p #nothing hidden { "No finding fits the filters." }
            }
        }
    };
    whole(&titled(&several.title, &several.command), &body)
}

/// Those that need somebody first.
fn table(several: &Several) -> Markup {
    let mut all: Vec<&OneOfMany> = several.databases.iter().collect();
    all.sort_by_key(|one| one.rank());
    html! {
        div .scroll tabindex="0" role="region" aria-label="Databases" {
            table .rights {
                thead { tr { @for title in ["Database", "The definition", "Changes", "What of it", "Where it is"] { th scope="col" { (title) } } } }
                tbody {
                    @for one in all {
                        tr {
                            th scope="row" { (shown(&one.name)) }
                            td { (state(one)) }
                            td { @if one.trouble.is_none() { (one.changes) } }
                            td { @match &one.trouble { Some(trouble) => (prose(trouble)), None => (counts(one.totals)) } }
                            td { (shown(&one.source)) }
                        }
                    }
                }
            }
        }
    }
}

/// What is to be said of the definition there, with the mark of the worst.
fn state(one: &OneOfMany) -> Markup {
    let (class, sign) = match (one.is_fit(), one.trouble.is_some() || one.totals.breaks > 0) {
        (true, _) => ("works", "✓"),
        (false, true) => ("severity break", mark(Severity::Break)),
        (false, false) => ("severity risk", mark(Severity::Risk)),
    };
    html! { span class=(class) { span aria-hidden="true" { (sign) " " } (one.state()) } }
}

fn story(several: &Several, because: &str, entries: &[Entry<'_>]) -> Markup {
    let count = entries.iter().map(|entry| entry.count).sum();
    html! {
        article .story data-story {
            h3 { (shown(because)) span .counts { (plural(count, "finding", "findings")) } }
            ul .entries { @for one in entries { (entry(several, one)) } }
        }
    }
}

fn entry(several: &Several, entry: &Entry<'_>) -> Markup {
    let (shared, finding) = (entry.first, &entry.first.finding);
    let lines = |names: &mut dyn Iterator<Item = String>| names.collect::<Vec<_>>().join("\n");
    let names = || shared.databases.iter().map(|name| shown(name)).collect::<Vec<_>>().join(", ");
    let subject = entry.subject();
    html! {
        li .entry data-entry data-count=(entry.count) data-severity=(finding.severity.word()) data-rule=(finding.rule)
            data-entity=(shown(finding.entity.as_deref().unwrap_or_default()))
            data-page=(lines(&mut entry.pages.iter().map(|page| shown(page))))
            data-role=(shown(finding.role.as_deref().unwrap_or_default()))
            data-database=(lines(&mut shared.databases.iter().map(|name| shown(name)))) {
            p { (severity(finding.severity)) " " @if !subject.is_empty() { b { (subject) } ": " } (prose(&finding.message)) }
            @if shared.databases.len() <= FEW { p { "On " (names()) "." } } @else {
                details { summary { "On " (shared.databases.len()) " of " (plural(several.databases.len(), "database", "databases")) } p { (names()) } }
            }
            p .where {
                @for place in &entry.places { code { (place) } " " }
                span .rule { (finding.rule) }
                @if !finding.help.is_empty() { " " span .help { (prose(&finding.help)) } }
            }
        }
    }
}
