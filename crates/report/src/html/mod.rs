//! A report as one page for a browser: it opens from a mail, asks nothing of the network, and prints whole.
//!
//! Names and texts are escaped by the templates; the page's policy refuses any script and style but its own two.

mod diffs;
mod kept;
mod map;
mod outcome;
mod pages;
mod rights;
mod stories;
pub(crate) mod words;

use crate::Report;
use crate::stories::stories;
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use maud::{DOCTYPE, Markup, PreEscaped, html};
use sha2::{Digest, Sha256};
use std::collections::BTreeSet;
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

/// What every page of this program looks like: colours in light and dark, type, focus.
pub const BASE_STYLE: &str = include_str!("base.css");
const STYLE: &str = concat!(include_str!("base.css"), include_str!("style.css"));
const SCRIPT: &str = include_str!("script.js");

/// A report as HTML.
pub fn to_html(report: &Report) -> String {
    let told = stories(report);
    let sections: Vec<(&str, &str, Markup)> = [
        ("map", "Map", map::map(report, &told)),
        ("stories", "What breaks, and why", stories::all(report, &told)),
        ("changes", "Changes", stories::changes(report, &told)),
        ("pages", "Pages before and after", pages::pages(report)),
        ("access", "Who may see and do what", rights::rights(report)),
        ("kept", "What the merge does", kept::kept(report)),
        ("files", "Files", diffs::diffs(report)),
    ]
    .into_iter()
    .filter_map(|(id, title, content)| Some((id, title, content?)))
    .collect();
    let findings: Vec<&Finding> = report.findings.iter().flatten().collect();
    let body = html! {
        header { (outcome::header(report)) }
        nav aria-label="Sections" {
            ul { @for (id, title, _) in &sections { li { a href={ "#" (id) } { (title) } } } }
        }
        @if !findings.is_empty() { (filters(&findings, &BTreeSet::new())) }
        main id="content" {
            @for (id, title, content) in &sections {
                section id=(id) aria-labelledby={ (id) "-title" } {
                    h2 id={ (id) "-title" } { (title) }
                    (content)
                }
            }
        }
    };
    whole(&outcome::title(report), &body)
}

/// A page that stands by itself.
pub(crate) fn whole(title: &str, body: &Markup) -> String {
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta http-equiv="Content-Security-Policy" content=(policy());
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta name="generator" content="ysomorph";
                title { (title) }
                style { (PreEscaped(STYLE)) }
            }
            body {
                a .skip href="#content" { "Skip to the content" }
                (body)
                footer { "Written by ysomorph " (env!("CARGO_PKG_VERSION")) "; nothing was sent anywhere." }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    page.into_string()
}

/// What the page may load and run: its own style and script, by their digests.
fn policy() -> String {
    let digest = |text: &str| STANDARD.encode(Sha256::digest(text.as_bytes()));
    format!("default-src 'none'; style-src 'sha256-{}'; script-src 'sha256-{}'", digest(STYLE), digest(SCRIPT))
}

/// What narrows the findings down, without loading anything; by these databases, too, where there are several.
pub(crate) fn filters(findings: &[&Finding], databases: &BTreeSet<String>) -> Markup {
    let set = |of: &dyn Fn(&Finding) -> Vec<String>| -> BTreeSet<String> { findings.iter().flat_map(|f| of(f)).collect() };
    let entities = set(&|f| f.entity.iter().map(|e| shown(e)).collect());
    let pages = set(&|f| f.pages.iter().map(|p| shown(p)).collect());
    let roles = set(&|f| f.role.iter().map(|r| shown(r)).collect());
    let rules = set(&|f| vec![f.rule.to_owned()]);
    let choice = |id: &str, label: &str, all: &str, names: &BTreeSet<String>| {
        html! {
            @if names.len() > 1 {
                span .field {
                    label for=(id) { (label) } " "
                    select id=(id) { option value="" { (all) } @for name in names { option { (name) } } }
                }
            }
        }
    };
    html! {
        form #filters aria-label="Filter the findings" hidden {
            fieldset {
                legend { "Show" }
                @for (word, label) in [("break", "breaks"), ("risk", "risks"), ("note", "notes")] {
                    label { input type="checkbox" name="severity" value=(word) checked; " " (label) }
                }
            }
            (choice("by-database", "Database", "all", databases))
            (choice("by-entity", "Entity", "all", &entities))
            (choice("by-page", "Page", "all", &pages))
            (choice("by-role", "Role", "all", &roles))
            (choice("by-rule", "Rule", "all", &rules))
            span .field {
                label for="search" { "Search" } " "
                input #search type="search" autocomplete="off" placeholder="a word, a name";
            }
            output #shown aria-live="polite" {}
        }
    }
}
