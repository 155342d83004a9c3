//! What breaks, by cause: a change, then everything it touches. Every face tells these stories, and none groups anew.

use crate::wording::plural;
use crate::{PartReport, Report, Totals};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::Change;
use ysomorph_core::impact::{Finding, Remedy, Severity};
use ysomorph_core::name::shown;

/// A change with what it touches; without one, what was so before.
pub(crate) struct Story<'r> {
    /// Its place among the changes.
    pub cause: Option<usize>,
    pub change: Option<&'r Change>,
    pub totals: Totals,
    /// What the merge does about most of it.
    pub usual: Option<&'static str>,
    pub entries: Vec<Entry<'r>>,
}

/// Findings that are one to the reader.
pub(crate) struct Entry<'r> {
    /// The one whose file is to be fixed.
    pub first: &'r Finding,
    /// All of them.
    pub same: Vec<&'r Finding>,
    /// `keeper, list (search), detail`
    pub place: String,
    /// The same of other entities.
    pub elsewhere: Vec<String>,
}

/// The outcome of `impact` in one sentence.
pub(crate) fn sentence(report: &Report) -> String {
    let findings = report.findings.as_deref().unwrap_or_default();
    let changes = plural(report.changes.len(), "change", "changes");
    let mut left = Vec::new();
    if report.known > 0 {
        left.push(format!("{} known from the baseline", report.known));
    }
    if report.narrowed > 0 {
        left.push(format!("{} more not asked for", report.narrowed));
    }
    let left = if left.is_empty() { String::new() } else { format!(" ({})", left.join(", ")) };
    if findings.is_empty() {
        return match report.changes.len() {
            _ if !left.is_empty() => format!("{changes}: nothing else to tell{left}."),
            0 => "Nothing changed, and nothing breaks.".to_owned(),
            _ => format!("{changes}: {}. Every page still works.", "nothing breaks"),
        };
    }
    let broken: BTreeSet<(&Option<String>, &String)> =
        findings.iter().filter(|f| f.severity == Severity::Break).flat_map(|f| f.pages.iter().map(move |p| (&f.entity, p))).collect();
    let breaks = findings.iter().any(|f| f.severity == Severity::Break);
    let pages = match broken.len() {
        0 if breaks => ": none of the breaks is on a page".to_owned(),
        0 if report.narrowed == 0 && report.known == 0 => ": every page still works".to_owned(),
        0 => String::new(),
        n => format!(": {n} of {} can't work", plural(report.counts.1, "page", "pages")),
    };
    format!("{}, by {changes}{pages}{left}.", counts(Totals::of(findings)))
}

/// The outcome of `merge` in one sentence.
pub(crate) fn merged(report: &Report) -> String {
    let files = report.diffs.iter().filter(|d| d.is_shown()).count();
    let verb = if report.written == Some(true) { "edited" } else { "would edit" };
    let mut text = format!("The merge {verb} {}", plural(files, "file", "files"));
    let count = |parts: &Option<Vec<PartReport>>| parts.as_ref().map_or(0, Vec::len);
    for (count, one, many) in [
        (
            report.kept.as_ref().map_or(0, Vec::len) + report.kept_elsewhere,
            "customisation stays as it is",
            "customisations stay as they are",
        ),
        (count(&report.set_aside), "part is set aside", "parts are set aside"),
        (count(&report.restored), "part is back", "parts are back"),
        (report.follow_ups.as_ref().map_or(0, Vec::len), "thing is left to you", "things are left to you"),
    ] {
        if count > 0 {
            text.push_str(&format!("; {}", plural(count, one, many)));
        }
    }
    text + "."
}

/// `1 break, 2 risks`
pub(crate) fn counts(totals: Totals) -> String {
    let parts = [(totals.breaks, "break", "breaks"), (totals.risk, "risk", "risks"), (totals.note, "note", "notes")];
    parts.iter().filter(|(n, ..)| *n > 0).map(|(n, one, many)| plural(*n, one, many)).collect::<Vec<_>>().join(", ")
}

/// Findings by the change that caused them, the worst story first; what was so before comes last.
pub(crate) fn stories(report: &Report) -> Vec<Story<'_>> {
    let mut by_cause: BTreeMap<Option<usize>, Vec<&Finding>> = BTreeMap::new();
    for finding in report.findings.as_deref().unwrap_or_default() {
        by_cause.entry(finding.cause).or_default().push(finding);
    }
    let mut stories: Vec<Story<'_>> = Vec::new();
    for (cause, mut own) in by_cause {
        // The application first, then code that isn't its own.
        own.sort_by_key(|f| (f.severity, f.is_about_code()));
        let change = cause.and_then(|at| report.changes.get(at));
        let (totals, usual) = (Totals::of(own.iter().copied()), usual(&own));
        stories.push(Story { cause, change, totals, usual, entries: entries(report, &own) });
    }
    let worst = |story: &Story<'_>| story.entries.iter().map(|e| e.first.severity).min();
    stories.sort_by_key(|story| (story.cause.is_none(), worst(story), story.cause));
    stories
}

/// Most other entities that an entry names, unless all are wanted: a hub is looked up by hundreds.
const MOST_ELSEWHERE: usize = 12;

/// What is the same on several pages, or comes from one place, told once.
pub(crate) fn entries<'r>(report: &'r Report, findings: &[&'r Finding]) -> Vec<Entry<'r>> {
    let entry = |same: Vec<&'r Finding>| {
        let home = |f: &&&Finding| f.at.as_ref().zip(f.entity.as_ref()).is_some_and(|(at, e)| at.file == format!("app/{e}.toml"));
        let first = *same.iter().find(home).or(same.first())?;
        let mut others: Vec<&Option<String>> = Vec::new();
        for other in same.iter().filter(|f| f.entity != first.entity) {
            if !others.contains(&&other.entity) {
                others.push(&other.entity);
            }
        }
        let most = if report.verbose { others.len() } else { MOST_ELSEWHERE };
        let mut elsewhere: Vec<String> = others.iter().take(most).map(|entity| places(report, &same, entity)).collect();
        if others.len() > most {
            elsewhere.push(plural(others.len() - most, "more entity", "more entities"));
        }
        Some(Entry { first, place: places(report, &same, &first.entity), elsewhere, same })
    };
    grouped(findings).into_iter().filter_map(entry).collect()
}

/// What the merge will do, in words.
pub(crate) fn remedy(finding: &Finding) -> Option<&'static str> {
    match finding.remedy {
        Remedy::Merge => Some("the merge takes care of it"),
        Remedy::Ask => Some("the merge asks"),
        Remedy::Hand if finding.severity != Severity::Note => Some("left to you"),
        _ => None,
    }
}

/// What the merge does about most of a story's findings.
fn usual(findings: &[&Finding]) -> Option<&'static str> {
    let mut counts: Vec<(usize, &'static str)> = Vec::new();
    for word in findings.iter().filter_map(|f| remedy(f)) {
        match counts.iter_mut().find(|(_, known)| *known == word) {
            Some((count, _)) => *count += 1,
            None => counts.push((1, word)),
        }
    }
    // The first of those that are as many.
    counts.into_iter().rev().max_by_key(|(count, _)| *count).map(|(_, word)| word)
}

/// Findings of one story that are one to the reader: the same words, or one place that breaks several entities.
fn grouped<'f>(findings: &[&'f Finding]) -> Vec<Vec<&'f Finding>> {
    let mut groups: Vec<Vec<&Finding>> = Vec::new();
    let (mut by_words, mut by_place) = (BTreeMap::new(), BTreeMap::new());
    for finding in findings {
        // Each line of code has to be fixed by itself.
        let line = finding.at.as_ref().filter(|_| finding.is_about_code());
        let words = (&finding.entity, finding.rule, &finding.message, &finding.field, &finding.role, line);
        let place = finding.at.as_ref().map(|at| (finding.rule, finding.severity, &finding.role, at));
        let of_place = place.as_ref().and_then(|place| by_place.get(place)).copied();
        let elsewhere = of_place.filter(|at: &usize| groups.get(*at).and_then(|g| g.first()).is_some_and(|f| f.entity != finding.entity));
        let at = by_words.get(&words).copied().or(elsewhere).unwrap_or(groups.len());
        by_words.entry(words).or_insert(at);
        if let Some(place) = place {
            by_place.entry(place).or_insert(at);
        }
        match groups.get_mut(at) {
            Some(group) => group.push(finding),
            None => groups.push(vec![finding]),
        }
    }
    groups
}

/// `keeper, list (search), detail`
fn places(report: &Report, findings: &[&Finding], entity: &Option<String>) -> String {
    let mut pages: Vec<String> = Vec::new();
    let own = || findings.iter().filter(|f| f.entity == *entity);
    for finding in own() {
        for page in &finding.pages {
            let places: Vec<&str> = finding.places.iter().map(String::as_str).filter(|p| *p != "shown").collect();
            let places = if places.is_empty() { String::new() } else { format!(" ({})", places.join(", ")) };
            let text = format!("{}{places}", shown(page));
            if !pages.contains(&text) {
                pages.push(text);
            }
        }
    }
    let all: BTreeSet<&String> = own().flat_map(|f| &f.pages).collect();
    let everywhere = all.len() > 1 && entity.as_ref().is_some_and(|entity| report.pages_of(entity) == all.len());
    let pages = if everywhere { "every page".to_owned() } else { pages.join(", ") };
    let code = own().any(|f| f.is_about_code());
    let entity = entity.as_deref().map_or_else(|| if code { "code".to_owned() } else { "app".to_owned() }, shown);
    if pages.is_empty() { entity } else { format!("{entity}, {pages}") }
}

/// What a finding says below its cause.
pub(crate) fn beside<'f>(finding: &'f Finding, cause: Option<&Change>) -> &'f str {
    finding.beside_cause.as_deref().filter(|_| cause.is_some()).unwrap_or(&finding.message)
}
