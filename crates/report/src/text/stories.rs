//! What breaks, told by cause: a change, then everything it touches, so that twenty findings read as one story.

use super::changes::{phrase, plainly};
use super::findings::{counts, listed};
use super::places::position;
use super::style::{WIDTH, bold, dim, edges, good, hint, plural, severity, wrapped};
use crate::{Order, Report, Totals};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::Change;
use ysomorph_core::impact::{Finding, Remedy, Severity};
use ysomorph_core::name::shown;

/// The report of `impact`.
pub fn impact(report: &Report) -> String {
    let findings = report.findings.as_deref().unwrap_or_default();
    let mut out = format!("{}\n", outcome(report, findings));
    if findings.is_empty() {
        return out;
    }
    match report.order {
        Order::Cause => out.push_str(&by_cause(report, findings)),
        Order::Entity => out.push_str(&listed(report, findings)),
        Order::Severity => {
            for wanted in [Severity::Break, Severity::Risk, Severity::Note] {
                let these: Vec<&Finding> = findings.iter().filter(|f| f.severity == wanted).collect();
                if !these.is_empty() {
                    out.push_str(&format!("\n{}\n", bold(format!("{}s", wanted.word()))));
                    out.push_str(&entries(report, &these, None));
                }
            }
        }
    }
    let open = report.questions.iter().filter(|q| q.is_open()).count();
    let next = match (open, report.changes.is_empty()) {
        (0, true) => "ysomorph check   (is the definition sound in itself?)".to_owned(),
        (0, false) => "ysomorph merge   (shows what it would write)".to_owned(),
        (open, _) => format!("ysomorph decide   ({} to answer)", plural(open, "question", "questions")),
    };
    out.push_str(&format!("\n{}\n", hint(next)));
    out
}

/// The outcome in one sentence.
fn outcome(report: &Report, findings: &[Finding]) -> String {
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
            _ => format!("{changes}: {}. Every page still works.", good("nothing breaks")),
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
    wrapped(&format!("{}, by {changes}{pages}{left}.", counts(Totals::of(findings))), 0, 0)
}

/// Findings by the change that caused them, the worst story first; what was so before comes last.
fn by_cause(report: &Report, findings: &[Finding]) -> String {
    let mut causes: Vec<Option<usize>> = Vec::new();
    // Findings come worst first, so a cause's first finding is its worst.
    for finding in findings {
        if !causes.contains(&finding.cause) {
            causes.push(finding.cause);
        }
    }
    let worst = |cause: &Option<usize>| findings.iter().filter(|f| f.cause == *cause).map(|f| f.severity).min();
    causes.sort_by_key(|cause| (cause.is_none(), worst(cause), *cause));
    let mut out = String::new();
    for cause in causes {
        let mut own: Vec<&Finding> = findings.iter().filter(|f| f.cause == cause).collect();
        // The application first, then code that isn't its own.
        own.sort_by_key(|f| (f.severity, f.is_about_code()));
        let change = cause.and_then(|at| report.changes.get(at));
        let told = counts(Totals::of(own.iter().copied()));
        let room = WIDTH.saturating_sub(told.chars().count() + 2);
        let title = change.map_or_else(|| "So before the change".to_owned(), |change| title(change, room));
        let line = edges(&title, &told);
        out.push_str(&format!("\n{}{}\n", bold(&title), line.get(title.len()..).unwrap_or_default()));
        let evidence = change.and_then(|c| c.evidence.as_ref()).map(|e| format!("{} a rename", e.words()));
        let about: Vec<String> = evidence.into_iter().chain(usual(&own).map(str::to_owned)).collect();
        if !about.is_empty() {
            out.push_str(&format!("  {}\n", dim(wrapped(&about.join("; "), 2, 2))));
        }
        out.push_str(&entries(report, &own, change));
    }
    out
}

/// What the merge will do, in words.
fn remedy(finding: &Finding) -> Option<&'static str> {
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

/// A change in at most so many characters.
fn title(change: &Change, room: usize) -> String {
    let text = match change.to {
        Some(_) => phrase(change),
        None => {
            let subject = if change.table.is_empty() { String::new() } else { format!("{}: ", shown(&change.subject_in_table())) };
            format!("{subject}{}", plainly(change))
        }
    };
    if text.chars().count() <= room {
        return text;
    }
    let short: String = text.chars().take(room.saturating_sub(1)).collect();
    format!("{}…", short.trim_end())
}

/// Most entries of one rule in a story; `--verbose` shows all.
const ENTRIES: usize = 50;

/// Each finding in two lines; what is the same on several pages, or comes from one place, is told once.
fn entries(report: &Report, findings: &[&Finding], cause: Option<&Change>) -> String {
    let mut out = String::new();
    let usual = cause.and_then(|_| usual(findings));
    let mut told: BTreeMap<&str, usize> = BTreeMap::new();
    for same in grouped(findings) {
        let Some(finding) = same.first() else { continue };
        let count = told.entry(finding.rule).or_default();
        *count += 1;
        if *count > ENTRIES && !report.verbose {
            continue;
        }
        // The entity whose file is to be fixed goes first.
        let home = |f: &&&Finding| f.at.as_ref().zip(f.entity.as_ref()).is_some_and(|(at, e)| at.file == format!("app/{e}.toml"));
        let first = same.iter().find(home).unwrap_or(finding);
        let mut text = format!("{}: {}", places(report, &same, &first.entity), shown(beside(first, cause)));
        let mut others: Vec<&Option<String>> = Vec::new();
        for other in same.iter().filter(|f| f.entity != first.entity) {
            if !others.contains(&&other.entity) {
                others.push(&other.entity);
            }
        }
        if !others.is_empty() {
            let others: Vec<String> = others.into_iter().map(|entity| places(report, &same, entity)).collect();
            text.push_str(&format!("; and so {}", others.join("; ")));
        }
        if let Some(then) = remedy(finding).filter(|then| usual != Some(*then)) {
            text.push_str(&format!(" ({then})"));
        }
        out.push_str(&format!("  {} {}\n", severity(finding.severity), wrapped(&text, 8, 8)));
        out.push_str(&position(report, first));
        if !finding.help.is_empty() {
            out.push_str(&format!("        {}\n", dim(wrapped(&shown(&finding.help), 8, 8))));
        }
    }
    for (rule, count) in told.into_iter().filter(|(_, count)| *count > ENTRIES && !report.verbose) {
        out.push_str(&format!("        {}\n", dim(format!("{} more of {rule}: --verbose shows them", count - ENTRIES))));
    }
    out
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
    let everywhere = all.len() > 1 && report.pages.iter().filter(|(e, _)| Some(e) == entity.as_ref()).count() == all.len();
    let pages = if everywhere { "every page".to_owned() } else { pages.join(", ") };
    let code = own().any(|f| f.is_about_code());
    let entity = entity.as_deref().map_or_else(|| if code { "code".to_owned() } else { "app".to_owned() }, shown);
    if pages.is_empty() { entity } else { format!("{entity}, {pages}") }
}

/// What a finding says below its cause.
fn beside<'f>(finding: &'f Finding, cause: Option<&Change>) -> &'f str {
    finding.beside_cause.as_deref().filter(|_| cause.is_some()).unwrap_or(&finding.message)
}
