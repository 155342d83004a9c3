//! The outcome, what was looked at, and what a person has to do.

use super::words::{anchor, command, looked_at, prose, titled};
use crate::Report;
use crate::stories::{counts, merged, sentence};
use crate::wording::{plural, word};
use maud::{Markup, html};
use ysomorph_core::merge::Question;
use ysomorph_core::name::shown;

/// The page's title.
pub(super) fn title(report: &Report) -> String {
    titled(report.scene.as_ref().map_or("", |scene| &scene.now.app.title), &report.command)
}

pub(super) fn header(report: &Report) -> Markup {
    let scene = report.scene.as_deref().cloned().unwrap_or_default();
    let digest = |digest: &str| digest.trim_start_matches("sha256:").chars().take(12).collect::<String>();
    html! {
        p .command-name { (shown(&scene.now.app.title)) " · " (report.command) }
        h1 { (outcome(report)) }
        dl .facts {
            @if !scene.database.is_empty() { div { dt { "Database" } dd { (shown(&scene.database)) } } }
            (looked_at(&scene.when))
            @if !report.schema.accepted.is_empty() {
                div { dt { "Accepted schema" } dd { code title=(report.schema.accepted) { (digest(&report.schema.accepted)) } } }
            }
            @if !report.schema.changed.is_empty() {
                div { dt { "Schema now" } dd { code title=(report.schema.changed) { (digest(&report.schema.changed)) } } }
            }
        }
        (to_do(report))
    }
}

fn outcome(report: &Report) -> String {
    match report.command.as_str() {
        "impact" => sentence(report),
        "changes" => match report.counted_changes() {
            0 => "Nothing changed: the database is as the definition knows it.".to_owned(),
            count => format!("{} in the database.", plural(count, "change", "changes")),
        },
        "merge" => merged(report),
        "rehearse" => report.rehearsal.as_ref().map_or_else(String::new, |r| {
            format!("{} refuses {} of {}.", r.engine, r.refused, plural(r.statements, "statement", "statements"))
        }),
        _ => {
            let size = format!("{}, {}", plural(report.counts.0, "entity", "entities"), plural(report.counts.1, "page", "pages"));
            match report.totals.unwrap_or_default() {
                t if t.breaks + t.risk + t.note == 0 => format!("Sound: {size}, nothing found."),
                t if t.breaks + t.risk == 0 => format!("Sound: {size}, {}.", counts(t)),
                t => format!("Not sound: {size}, {}.", counts(t)),
            }
        }
    }
}

/// Questions with the command that answers each, and what is left to a person.
fn to_do(report: &Report) -> Markup {
    let open: Vec<_> = report.questions.iter().filter(|q| q.is_open()).collect();
    let left = report.follow_ups.as_deref().unwrap_or_default();
    let earlier = &report.open_follow_ups;
    html! {
        @if !(open.is_empty() && left.is_empty() && earlier.is_empty()) {
            section .to-do aria-labelledby="to-do-title" {
                h2 #to-do-title { "What you have to do" }
                ol {
                    @for question in open {
                        li id=(anchor("question", &[&question.name])) {
                            p { (prose(&question.text)) }
                            @let choices: Vec<_> = question.choices.iter().zip(&question.effects).collect();
                            @if let Some((first, others)) = choices.split_first() {
                                (choice(question, *first))
                                details { summary { (plural(others.len(), "other choice", "other choices")) } @for other in others { (choice(question, *other)) } }
                            }
                        }
                    }
                    @for one in left {
                        li { p { (prose(&one.finding.message)) } @if !one.finding.help.is_empty() { p .help { (prose(&one.finding.help)) } } }
                    }
                    @for one in earlier {
                        li { p { (prose(&one.message)) } p .help { "left by an earlier merge; when it is done: " (command(&format!("ysomorph decide done/{}", word(&one.name)))) } }
                    }
                }
            }
        }
    }
}

fn choice(question: &Question, (choice, effect): (&String, &String)) -> Markup {
    html! {
        p .choice {
            (command(&format!("ysomorph decide {} {}", word(&question.name), word(choice))))
            span .effect { (prose(effect)) @if *choice == question.safe { " (the safe choice)" } }
        }
    }
}
