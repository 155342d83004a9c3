//! What the merge keeps, sets aside, puts back and leaves to a person: by cause, not by element.

use super::words::prose;
use crate::causes::causes;
use crate::wording::plural;
use crate::{PartReport, Report};
use maud::{Markup, html};
use ysomorph_core::name::shown;

pub(super) fn kept(report: &Report) -> Option<Markup> {
    report.edits.as_ref()?;
    let kept = report.kept.as_deref().unwrap_or_default();
    let concerned: Vec<_> = kept.iter().filter(|k| k.concerned).collect();
    let left = report.follow_ups.as_deref().unwrap_or_default();
    Some(html! {
        p { b { (plural(kept.len(), "customisation", "customisations")) } " made by hand " (if kept.len() == 1 { "stays as it is." } else { "stay as they are." }) }
        @if !concerned.is_empty() {
            h3 { "Kept although the draft changed" }
            ul { @for one in concerned {
                li { code { (shown(&one.path)) } " " (value(one.yours.as_ref())) span .quiet { " (the draft says " (value(one.draft.as_ref())) ")" } }
            } }
        }
        (by_cause("Set aside, kept until what it hung on returns", report.set_aside.as_deref().unwrap_or_default()))
        (by_cause("Put back", report.restored.as_deref().unwrap_or_default()))
        (by_cause("Was set aside, and gave way to what was edited by hand", &report.superseded))
        @if !left.is_empty() {
            h3 { "Left to you" }
            ul { @for one in left { li { (prose(&one.finding.message)) @if let Some(at) = &one.finding.at { " " code { (shown(&at.file)) ":" (at.line) } } } } }
        }
    })
}

fn by_cause(title: &str, parts: &[PartReport]) -> Markup {
    html! {
        @if !parts.is_empty() {
            h3 { (title) }
            @for cause in causes(parts) {
                details .parts {
                    summary { (prose(cause.because)) ": " (cause.counted()) }
                    ul { @for part in &cause.parts { li { code { (shown(&part.path)) } @if part.value.is_some() { " " span .quiet { (value(part.value.as_ref())) } } } } }
                }
            }
        }
    }
}

fn value(value: Option<&serde_json::Value>) -> String {
    let text = match value {
        None => return "nothing".to_owned(),
        Some(serde_json::Value::String(text)) => format!("“{}”", shown(text)),
        Some(other) => shown(&other.to_string()),
    };
    if text.chars().count() > 160 { format!("{}…", text.chars().take(159).collect::<String>()) } else { text }
}
