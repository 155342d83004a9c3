//! Each change with its evidence, who made it, what it touches and what the merge does about it.

use super::words::{anchor, command, prose, severity};
use crate::Report;
use crate::stories::{Entry, Story, beside, counts, remedy};
use crate::wording::{described, phrase, word};
use maud::{Markup, html};
use ysomorph_core::changes::Change;
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

/// Every story; none where nothing was looked for.
pub(super) fn all(report: &Report, stories: &[Story<'_>]) -> Option<Markup> {
    report.findings.as_ref()?;
    Some(html! {
        @if stories.is_empty() { p { "Nothing breaks." } }
        @for one in stories { (story(report, one)) }
        p #nothing hidden { "No finding fits the filters." }
    })
}

/// The changes that touch nothing, or all of them where nothing was looked for.
pub(super) fn changes(report: &Report, stories: &[Story<'_>]) -> Option<Markup> {
    let told = |at: usize| stories.iter().any(|s| s.cause == Some(at));
    let quiet: Vec<&Change> = report.changes.iter().enumerate().filter(|(at, _)| !told(*at)).map(|(_, change)| change).collect();
    (!quiet.is_empty()).then(|| {
        html! {
            @if !stories.is_empty() { p { "These changes touch nothing in the definition." } }
            ul .changes {
                @for change in quiet {
                    @let (mark, text) = described(change, &report.later);
                    li { span .sign aria-hidden="true" { (mark) } " " b { (shown(&change.subject())) } " " (prose(&text)) (made_by(change)) (evidence(change)) }
                }
            }
        }
    })
}

/// The address of a story.
pub(super) fn address(story: &Story<'_>) -> String {
    match story.change {
        Some(change) => anchor(&format!("story-{}", change.kind.name()), &[&change.subject()]),
        None => "story-before".to_owned(),
    }
}

fn story(report: &Report, story: &Story<'_>) -> Markup {
    let id = address(story);
    html! {
        article .story id=(id) data-story {
            h3 {
                a href={ "#" (id) } { (story.change.map_or_else(|| "So before the change".to_owned(), phrase)) }
                span .counts { (counts(story.totals)) }
            }
            @if let Some(change) = story.change {
                @if change.evidence.is_none() { p .what { (prose(&described(change, &report.later).1)) } }
                (made_by(change))
                (evidence(change))
                (question(report, change))
            }
            @if let Some(usual) = story.usual { p .usual { "For most of it: " (usual) "." } }
            ul .entries { @for one in &story.entries { (entry(report, story, one)) } }
        }
    }
}

fn entry(report: &Report, story: &Story<'_>, entry: &Entry<'_>) -> Markup {
    let first = entry.first;
    let lines = |of: &dyn Fn(&Finding) -> Vec<String>| -> String {
        let mut all: Vec<String> = entry.same.iter().flat_map(|f| of(f)).collect();
        all.sort();
        all.dedup();
        all.join("\n")
    };
    let usual = if story.change.is_some() { story.usual } else { None };
    html! {
        li .entry data-entry data-count=(entry.same.len()) data-severity=(first.severity.word()) data-rule=(first.rule)
            data-entity=(lines(&|f| f.entity.iter().map(|e| shown(e)).collect()))
            data-page=(lines(&|f| f.pages.iter().map(|p| shown(p)).collect()))
            data-role=(lines(&|f| f.role.iter().map(|r| shown(r)).collect())) {
            p { (severity(first.severity)) " " b { (entry.place) } ": " (prose(beside(first, story.change)))
                @if !entry.elsewhere.is_empty() { "; and so " b { (entry.elsewhere.join("; ")) } }
                @if let Some(then) = remedy(first).filter(|then| usual != Some(*then)) { " (" (then) ")" }
            }
            (quoted(report, first))
            p .where {
                @if let Some(at) = &first.at { code { (shown(&at.file)) ":" (at.line) ":" (at.column) } }
                " " span .rule { (first.rule) }
                @if !first.help.is_empty() { " " span .help { (prose(&first.help)) } }
            }
        }
    }
}

/// The definition's own line, with what is the matter marked.
fn quoted(report: &Report, finding: &Finding) -> Markup {
    let line = finding.at.as_ref().and_then(|at| {
        let index = usize::try_from(at.line).ok()?.checked_sub(1)?;
        let line = report.texts.get(&at.file)?.lines().nth(index)?;
        let start = usize::try_from(at.column).ok()?.saturating_sub(1);
        let length = finding.culprit.as_ref().map_or_else(|| named(line, start), |c| c.chars().count());
        let part = |skip: usize, take: usize| shown(&line.chars().skip(skip).take(take).collect::<String>());
        // A long line is shown around its culprit.
        let from = start.saturating_sub(80);
        Some((from, part(from, start - from), part(start, length), part(start + length, 120), line.chars().count() > start + length + 120))
    });
    html! {
        @if let Some((from, before, culprit, after, more)) = line {
            pre .quote { code { @if from > 0 { "…" } (before) @if !culprit.is_empty() { mark { (culprit) } } (after) @if more { "…" } } }
        }
    }
}

/// How long what stands at a place of a line is: a text with its quotes, or a word.
fn named(line: &str, start: usize) -> usize {
    let mut rest = line.chars().skip(start);
    match rest.next() {
        Some(quote @ ('"' | '\'')) => rest.position(|c| c == quote).map_or(0, |at| at + 2),
        Some(first) if first.is_alphanumeric() || first == '_' => {
            1 + rest.take_while(|c| c.is_alphanumeric() || "_.-".contains(*c)).count()
        }
        _ => 0,
    }
}

/// Why a rename is believed: both names under each other, and the reasons.
fn evidence(change: &Change) -> Markup {
    html! {
        @if let (Some(to), Some(evidence)) = (&change.to, &change.evidence) {
            div .evidence {
                dl .names {
                    dt { "before" } dd { code { (shown(change.column.as_deref().unwrap_or(&change.table))) } }
                    dt { "now" } dd { code { (shown(to)) } }
                }
                p { (sentence_case(evidence.words())) " a rename"
                    @if !evidence.reasons().is_empty() { ": " (shown(&evidence.reasons().join(", "))) }
                    "." }
            }
        }
    }
}

fn sentence_case(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}

/// The question that the merge asks about a change.
fn question(report: &Report, change: &Change) -> Markup {
    let about = change.column.as_ref().map_or_else(|| change.table.clone(), |column| format!("{}.{column}", change.table));
    let names = [format!("rename/{}", ysomorph_core::name::written(&about)), format!("rename/{about}")];
    let asked = report.questions.iter().find(|q| q.is_open() && names.contains(&q.name));
    html! {
        @if let Some(question) = asked {
            p .asked { "The merge asks: " (command(&format!("ysomorph decide {} {}", word(&question.name), word(question.choices.first().map_or("", String::as_str))))) " "
                a href={ "#" (anchor("question", &[&question.name])) } { "all choices" } }
        }
    }
}

fn made_by(change: &Change) -> Markup {
    html! {
        @for by in &change.by {
            p .by { "by " (shown(by.who.as_deref().unwrap_or("somebody")))
                @if let Some(when) = &by.when { " on " (shown(when)) }
                @if let Some(statement) = &by.statement { ": " code { (shown(statement)) } } }
        }
    }
}
