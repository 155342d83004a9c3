//! What is broken about a page: what, by which change, where in the definition, what the database says, and what the merge does about it.

use super::Making;
use crate::reader::{Trouble, Viewer};
use crate::site::{Site, Version, Which};
use maud::{Markup, html};
use ysomorph_core::definition::{Entity, Page};
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::name::shown;
use ysomorph_report::words;

/// What breaks of a page for whoever looks.
fn breaks<'v>(version: &'v Version, entity: &Entity, page: &'v Page, viewer: &'v Viewer) -> impl Iterator<Item = &'v Finding> {
    let findings = version.findings(&entity.name).iter();
    let concerns = |finding: &Finding| finding.role.is_none() || finding.role == viewer.role;
    findings.filter(move |f| f.severity == Severity::Break && f.pages.contains(&page.name) && concerns(f))
}

/// Fields of the page that the database hasn't got.
pub fn fields(version: &Version, entity: &Entity, page: &Page, viewer: &Viewer) -> Vec<String> {
    let mut names: Vec<String> = breaks(version, entity, page, viewer).filter_map(|f| f.field.clone()).collect();
    names.sort();
    names.dedup();
    names
}

/// What is said above a page that doesn't work as it should.
pub fn told(making: &Making<'_>, trouble: Option<&Trouble>, still_works: bool) -> Markup {
    let site = making.request.site;
    let own: Vec<&Finding> = breaks(making.source.version, making.source.entity, making.source.page, making.request.viewer).collect();
    match trouble {
        None if own.is_empty() => html! {},
        Some(Trouble::Missing(name)) => html! {
            div .notice role="status" {
                p { "There are no records without a value for " code { ":" (shown(name)) } ". Give one under "
                    a href="#viewer" { "who looks" } "." }
            }
        },
        Some(Trouble::Lost(message)) => html! {
            div .broken role="alert" { p { strong { "The database can't be asked. " } (message) } }
        },
        Some(Trouble::Refused(_)) | None => html! {
            div .broken role="alert" {
                p .headline {
                    strong { @if still_works { "A part of this page can't work." } @else { "This page can't work." } }
                    @if making.which == Which::Now && site.after.is_some() && !own.is_empty() {
                        " " a href=(after(making)) { "See it after the merge" }
                    }
                }
                ul {
                    @for finding in &own { (one(site, finding)) }
                }
                @if let Some(Trouble::Refused(message)) = trouble {
                    p .said { (message) }
                }
                @if still_works { p .rest { "What still works is shown without it." } }
            }
        },
    }
}

fn one(site: &Site, finding: &Finding) -> Markup {
    let cause = finding.cause.and_then(|at| site.changes.get(at).map(|change| (at, change)));
    html! {
        li {
            (words::prose(&finding.message))
            @if let Some((at, change)) = cause {
                " " a .cause href={ "#change-" (at) } { (words::change(change)) }
            }
            @if let Some(at) = &finding.at { " " code .place { (shown(&at.file)) ":" (at.line) ":" (at.column) } }
            @if let Some(then) = words::remedy(finding) { " " span .remedy { (then) "." } }
        }
    }
}

/// The same page after the merge.
fn after(making: &Making<'_>) -> String {
    let shown = crate::ask::Shown::One(Which::After);
    let address = crate::ask::address(shown, &making.source.entity.name, &making.source.page.name, &[]);
    address + &making.request.query.written()
}
