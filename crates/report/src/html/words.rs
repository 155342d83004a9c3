//! What several sections write alike.

use maud::{Markup, html};
use ysomorph_core::impact::Severity;
use ysomorph_core::name::shown;

/// A severity as a word with a shape, so that colour only repeats it.
pub(crate) fn severity(severity: Severity) -> Markup {
    html! { span class={ "severity " (severity.word()) } { span aria-hidden="true" { (mark(severity)) " " } (severity.word()) } }
}

/// The title of a page about an application.
pub(crate) fn titled(app: &str, command: &str) -> String {
    format!("{}: {command}", if app.is_empty() { "Ysomorph".to_owned() } else { shown(app) })
}

/// When it was looked at, where that is known.
pub(crate) fn looked_at(when: &str) -> Markup {
    html! { @if !when.is_empty() { div { dt { "Looked at" } dd { time datetime=(when) { (when.replace('T', " ").replace('Z', " UTC")) } } } } }
}

/// The shape of a severity.
pub(crate) fn mark(severity: Severity) -> &'static str {
    match severity {
        Severity::Break => "✕",
        Severity::Risk => "▲",
        Severity::Note => "○",
    }
}

/// A sentence, with what stands in backticks as code.
pub(crate) fn prose(text: &str) -> Markup {
    let text = shown(text);
    let parts: Vec<&str> = text.split('`').collect();
    // A lone backtick is one.
    let is_paired = parts.len() % 2 == 1;
    html! {
        @if is_paired {
            @for (at, part) in parts.iter().enumerate() { @if at % 2 == 1 { code { (part) } } @else { (part) } }
        } @else {
            (text)
        }
    }
}

/// A command to type, with a button that copies it.
pub(super) fn command(text: &str) -> Markup {
    html! { code .command { (shown(text)) } button type="button" class="copy" data-copy=(shown(text)) hidden { "Copy" } }
}

/// A name as part of an address within the page.
pub(super) fn anchor(kind: &str, parts: &[&str]) -> String {
    let mut out = kind.to_owned();
    for part in parts {
        out.push('-');
        for byte in part.bytes() {
            match byte {
                b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'_' => out.push(char::from(byte)),
                other => out.push_str(&format!(".{other:02x}")),
            }
        }
    }
    out
}
