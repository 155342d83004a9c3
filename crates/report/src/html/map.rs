//! Tables, the entities over them and their pages, as a drawing; what breaks is marked by shape and word.
//!
//! Three columns, an entity a line, curves from lookups to what they look up. Large applications are folded by menu group, or by
//! the beginning of names where there is no menu.

use super::stories::address;
use super::words::{anchor, mark};
use crate::Report;
use crate::stories::Story;
use crate::wording::plural;
use maud::{Markup, html};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::{Change, ChangeKind};
use ysomorph_core::definition::{Entity, Model};
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::name::{fold, shown};

/// Up to so many entities the map is one drawing.
const ONE_DRAWING: usize = 60;
const LINE: usize = 34;
const TOP: usize = 34;
const TABLE: usize = 250;
const ENTITY: usize = 290;
const CURVES: usize = 510;
const PAGES: usize = 600;
const PAGE: usize = 100;
const PER_LINE: usize = 6;
const WIDTH: usize = PAGES + PER_LINE * PAGE + 4;

/// What is known of an entity while it is drawn.
struct Spot<'r> {
    entity: &'r Entity,
    worst: Option<Severity>,
    /// What became of its table.
    fate: Option<String>,
    /// The story that is worst for it.
    story: Option<String>,
    /// The worst on each page.
    pages: BTreeMap<&'r str, Severity>,
    lookups: BTreeSet<&'r str>,
}

pub(super) fn map(report: &Report, stories: &[Story<'_>]) -> Option<Markup> {
    let model = &report.scene.as_deref()?.now;
    if model.entities.is_empty() {
        return None;
    }
    let spots = spots(model, report, stories);
    let groups = grouped(model);
    let legend = html! {
        p .legend {
            "Table → entity → pages. "
            @for (severity, word) in [(Severity::Break, "can't work"), (Severity::Risk, "works, but wrong")] { span class=(severity.word()) { (mark(severity)) } " " (word) "; " }
            "curves lead from lookups to what they look up."
        }
    };
    Some(html! {
        (legend)
        @if spots.len() <= ONE_DRAWING {
            (drawing(&groups.iter().flat_map(|(_, names)| names).filter_map(|name| spots.get(name)).collect::<Vec<_>>()))
        } @else {
            @for (title, names) in &groups {
                @let own: Vec<&Spot<'_>> = names.iter().filter_map(|name| spots.get(name)).collect();
                @let broken = own.iter().filter(|s| s.worst == Some(Severity::Break)).count();
                @let touched: Vec<&Spot<'_>> = own.iter().copied().filter(|s| s.worst.is_some() || s.fate.is_some()).collect();
                details .group open[broken > 0] {
                    summary { b { (shown(title)) } " " (plural(own.len(), "entity", "entities"))
                        @if broken > 0 { ", " span .severity.break { (mark(Severity::Break)) " " (plural(broken, "can't work", "can't work")) } } }
                    @if touched.is_empty() {
                        p .quiet { (own.iter().map(|s| shown(&s.entity.name)).collect::<Vec<_>>().join(", ")) }
                    } @else {
                        (drawing(&touched))
                        @if touched.len() < own.len() {
                            p .quiet { "Not touched: " (own.iter().filter(|s| s.worst.is_none() && s.fate.is_none()).map(|s| shown(&s.entity.name)).collect::<Vec<_>>().join(", ")) }
                        }
                    }
                }
            }
        }
    })
}

fn spots<'r>(model: &'r Model, report: &'r Report, stories: &[Story<'r>]) -> BTreeMap<&'r str, Spot<'r>> {
    let mut changes: BTreeMap<String, Vec<&Change>> = BTreeMap::new();
    report.changes.iter().for_each(|change| changes.entry(fold(&change.table)).or_default().push(change));
    let mut spots: BTreeMap<&str, Spot<'r>> = BTreeMap::new();
    for entity in model.entities.values() {
        let lookups = entity.fields.iter().filter_map(|f| f.lookup.as_ref()).map(|l| l.entity.value.as_str()).collect();
        let fate = changes.get(&fold(&entity.table.value)).map(|own| fate(own));
        let spot = Spot { entity, worst: None, fate, story: None, pages: BTreeMap::new(), lookups };
        spots.insert(entity.name.as_str(), spot);
    }
    // Stories come worst first.
    for story in stories {
        for finding in story.entries.iter().flat_map(|e| &e.same).filter(|f| f.severity != Severity::Note) {
            let Some(spot) = finding.entity.as_deref().and_then(|entity| spots.get_mut(entity)) else { continue };
            note(spot, finding, story);
        }
    }
    spots
}

fn note<'r>(spot: &mut Spot<'r>, finding: &'r Finding, story: &Story<'_>) {
    if spot.worst.is_none_or(|worst| finding.severity < worst) {
        spot.worst = Some(finding.severity);
        spot.story = Some(address(story));
    }
    for page in &finding.pages {
        let known = spot.pages.entry(page.as_str()).or_insert(finding.severity);
        *known = (*known).min(finding.severity);
    }
}

/// What became of a table, in a few words.
fn fate(changes: &[&Change]) -> String {
    let whole = changes.iter().find(|c| matches!(c.kind, ChangeKind::TableDropped | ChangeKind::TableRenamed | ChangeKind::ViewBroken));
    match whole.map(|c| (c.kind, c.to.as_deref())) {
        Some((ChangeKind::TableDropped, _)) => "gone".to_owned(),
        Some((ChangeKind::TableRenamed, Some(to))) => format!("now {}", shown(to)),
        Some((ChangeKind::ViewBroken, _)) => "can't be read".to_owned(),
        _ => plural(changes.len(), "change", "changes"),
    }
}

/// Entities in the order of the menu, by its groups; the rest by what their names begin with where they are many.
fn grouped(model: &Model) -> Vec<(String, Vec<&str>)> {
    let mut placed: BTreeSet<&str> = BTreeSet::new();
    let mut groups: Vec<(String, Vec<&str>)> = Vec::new();
    for group in &model.app.menu {
        let named = group.items.iter().map(|item| item.value.split('/').next().unwrap_or_default());
        let own: Vec<&str> = named.filter(|name| model.entities.contains_key(*name) && placed.insert(name)).collect();
        if !own.is_empty() {
            groups.push((group.label.clone(), own));
        }
    }
    let rest: Vec<&str> = model.entities.keys().map(String::as_str).filter(|name| !placed.contains(name)).collect();
    if rest.len() <= ONE_DRAWING {
        if !rest.is_empty() {
            groups.push(("Not in the menu".to_owned(), rest));
        }
        return groups;
    }
    let mut beginnings: BTreeMap<String, Vec<&str>> = BTreeMap::new();
    for name in rest {
        beginnings.entry(name.split(['_', '.']).next().unwrap_or(name).to_owned()).or_default().push(name);
    }
    groups.extend(beginnings);
    groups
}

/// Lines that the pages of an entity take.
fn height(spot: &Spot<'_>) -> usize {
    spot.entity.pages.len().div_ceil(PER_LINE).max(1)
}

fn drawing(spots: &[&Spot<'_>]) -> Markup {
    let mut tops: BTreeMap<&str, usize> = BTreeMap::new();
    let mut y = TOP;
    for spot in spots {
        tops.insert(spot.entity.name.as_str(), y);
        y += height(spot) * LINE;
    }
    let middle = |name: &str| tops.get(name).map(|top| top + LINE / 2 - 2);
    let heads = [(0, "Tables"), (ENTITY, "Entities"), (PAGES, "Pages")];
    // A hub's curves would hide everything: where there are many, only those of what breaks are drawn.
    let all_curves = spots.iter().map(|s| s.lookups.len()).sum::<usize>() <= 40;
    html! {
        div .scroll tabindex="0" role="region" aria-label="Map of the application" {
            svg .map viewBox={ "0 0 " (WIDTH) " " (y + 4) } width=(WIDTH) height=(y + 4) role="group" {
                title { "Tables, entities and pages" }
                @for (x, head) in heads { text .head x=(x) y="18" { (head) } }
                @for spot in spots {
                    @if let Some(from) = middle(&spot.entity.name) {
                        @for to in spot.lookups.iter().filter(|to| all_curves || spot.worst == Some(Severity::Break) && **to != spot.entity.name) {
                            @if let Some(to) = middle(to) { path .curve .touched[spot.worst == Some(Severity::Break)] d=(curve(from, to)) {} }
                        }
                    }
                }
                @for spot in spots { @if let Some(top) = tops.get(spot.entity.name.as_str()) { (line(spot, *top)) } }
            }
        }
    }
}

/// From the right edge of an entity to that of another, the further the wider.
fn curve(from: usize, to: usize) -> String {
    let reach = CURVES + 18 + (from.abs_diff(to) / LINE * 5).min(62);
    format!("M{CURVES} {from} C{reach} {from} {reach} {to} {CURVES} {to}")
}

fn line(spot: &Spot<'_>, top: usize) -> Markup {
    let (name, table) = (&spot.entity.name, &spot.entity.table.value);
    let state = spot.worst.map_or("", Severity::word);
    let href = spot.story.as_ref().map(|story| format!("#{story}"));
    let base = top + 19;
    html! {
        g class={ "table " @if spot.fate.is_some() { "changed" } } {
            title { (shown(table)) @if let Some(fate) = &spot.fate { ": " (fate) } }
            rect x="0.5" y=(top) width=(TABLE) height=(LINE - 6) rx="2" {}
            text .mono x="10" y=(base) { (cut(table, 31 - spot.fate.as_ref().map_or(0, |fate| fate.chars().count().min(16) + 3))) }
            @if let Some(fate) = &spot.fate { text .fate x=(TABLE - 8) y=(base) text-anchor="end" { "~ " (cut(fate, 16)) } }
        }
        path .link d={ "M" (TABLE + 1) " " (top + LINE / 2 - 3) " H" (ENTITY) } {}
        (linked(href.as_deref(), &html! {
            g class={ "entity " (state) } {
                title { (shown(name)) @if let Some(worst) = spot.worst { ": " (worst.word()) } }
                rect x=(ENTITY) y=(top) width=(CURVES - ENTITY) height=(LINE - 6) rx="9" {}
                text x=(ENTITY + 12) y=(base) { @if let Some(worst) = spot.worst { (mark(worst)) " " } (cut(name, 26)) }
            }
        }))
        @for (at, page) in spot.entity.pages.iter().enumerate() {
            @let (x, y) = (PAGES + at % PER_LINE * PAGE, top + at / PER_LINE * LINE);
            @let worst = spot.pages.get(page.name.as_str());
            @let href = match worst { Some(Severity::Break) => Some(format!("#{}", anchor("page", &[name, &page.name]))), Some(_) => href.clone(), None => None };
            (linked(href.as_deref(), &html! {
                g class={ "page " (worst.map_or("", |w| w.word())) } {
                    title { (shown(name)) "/" (shown(&page.name)) @if let Some(worst) = worst { ": " (worst.word()) } }
                    rect x=(x) y=(y) width=(PAGE - 8) height=(LINE - 6) rx="2" {}
                    text x=(x + 8) y=(y + 19) { @if let Some(worst) = worst { (mark(*worst)) " " } (cut(&page.name, 10)) }
                }
            }))
        }
    }
}

fn linked(href: Option<&str>, content: &Markup) -> Markup {
    html! { @match href { Some(href) => { a href=(href) { (content) } } None => { (content) } } }
}

/// A name as far as it fits; its title has it whole.
fn cut(name: &str, most: usize) -> String {
    let name = shown(name);
    if name.chars().count() <= most { name } else { format!("{}…", name.chars().take(most - 1).collect::<String>()) }
}
