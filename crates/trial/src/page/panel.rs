//! What changed in the database and what that breaks, beside every page; questions are answered there.

use super::Request;
use crate::ask::{Shown, address};
use crate::site::Which;
use maud::{Markup, html};
use std::collections::BTreeMap;
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::merge::Question;
use ysomorph_core::name::shown;
use ysomorph_report::words;

/// The panel; nothing where nothing changed.
pub fn panel(request: &Request<'_>) -> Markup {
    let site = request.site;
    if site.changes.is_empty() && site.questions.is_empty() && site.findings.is_empty() {
        return html! {};
    }
    let mut by_cause: BTreeMap<Option<usize>, Vec<&Finding>> = BTreeMap::new();
    for finding in &site.findings {
        by_cause.entry(finding.cause).or_default().push(finding);
    }
    let mut stories: Vec<(Option<usize>, Vec<&Finding>)> = by_cause.into_iter().collect();
    stories.sort_by_key(|(cause, own)| (cause.is_none(), own.iter().map(|f| f.severity).min(), *cause));
    let open: Vec<&Question> = site.questions.iter().filter(|q| q.is_open()).collect();
    let answered: Vec<&Question> = site.questions.iter().filter(|q| !q.is_open()).collect();
    let quiet = site.changes.len() - stories.iter().filter(|(cause, _)| cause.is_some()).count();
    html! {
        aside .change aria-label="The change" {
            h2 { "The change" }
            @if !open.is_empty() {
                h3 { (words::plural(open.len(), "question", "questions")) " for you" }
                @for (at, one) in open.iter().enumerate() { (question(request, one, at == 0)) }
            }
            @for (cause, own) in &stories { (story(request, *cause, own)) }
            @if quiet > 0 { p .quiet { (words::plural(quiet, "change touches", "changes touch")) " nothing in the definition." } }
            @if !answered.is_empty() {
                details { summary { (words::plural(answered.len(), "answer", "answers")) }
                    @for one in &answered { (question(request, one, false)) }
                }
            }
        }
    }
}

fn question(request: &Request<'_>, question: &Question, is_first: bool) -> Markup {
    html! {
        form .question method="post" action="/answer" {
            input type="hidden" name="token" value=(request.token);
            input type="hidden" name="here" value=(request.here);
            input type="hidden" name="question" value=(question.name);
            details open[is_first] {
                summary { (words::prose(&question.text)) }
                fieldset {
                legend .unseen { "Choose" }
                @for (choice, effect) in question.choices.iter().zip(&question.effects) {
                    @let id = format!("{}-{choice}", question.name);
                    p {
                        input type="radio" name="choice" id=(id) value=(choice) required checked[question.answer.as_ref() == Some(choice)];
                        label for=(id) { b { (shown(choice)) } ": " (words::prose(effect)) @if *choice == question.safe { " " span .safe { "(what is done without an answer)" } } }
                    }
                }
                button { @if question.is_open() { "Answer" } @else { "Answer otherwise" } }
                }
            }
        }
    }
}

fn story(request: &Request<'_>, cause: Option<usize>, own: &[&Finding]) -> Markup {
    let change = cause.and_then(|at| request.site.changes.get(at));
    let count = |severity: Severity| own.iter().filter(|f| f.severity == severity).count();
    let counts: Vec<String> = [(Severity::Break, "break", "breaks"), (Severity::Risk, "risk", "risks"), (Severity::Note, "note", "notes")]
        .into_iter()
        .filter(|(severity, ..)| count(*severity) > 0)
        .map(|(severity, one, many)| words::plural(count(severity), one, many))
        .collect();
    html! {
        details .story id=[cause.map(|at| format!("change-{at}"))] {
            summary { (change.map_or_else(|| "So before the change".to_owned(), words::change)) span .counts { (counts.join(", ")) } }
            ul { @for finding in own { (entry(request, finding)) } }
        }
    }
}

fn entry(request: &Request<'_>, finding: &Finding) -> Markup {
    let entity = finding.entity.as_deref().unwrap_or_default();
    let which = Which::Now;
    let pages =
        finding.pages.iter().filter(|page| request.site.version(which).page(entity, page, request.viewer.role.as_deref()).is_some());
    html! {
        li {
            (words::severity(finding.severity)) " " (words::prose(&finding.message))
            @if let Some(then) = words::remedy(finding) { " " span .remedy { "(" (then) ")" } }
            @if let Some(at) = &finding.at { " " code .place { (shown(&at.file)) ":" (at.line) ":" (at.column) } }
            " " span .leads { @for page in pages { a href=(address(Shown::One(which), entity, page, &[])) { (shown(entity)) "/" (shown(page)) } " " } }
        }
    }
}
