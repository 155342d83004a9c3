//! Colours, counts and wrapping. Colour only repeats what the words say.

use anstyle::{AnsiColor, Style};
use std::fmt::Display;
use std::sync::atomic::{AtomicUsize, Ordering};
use unicode_width::UnicodeWidthStr;
use ysomorph_core::impact::Severity;

/// The width of the text, the same for all that a program prints.
static WIDTH: AtomicUsize = AtomicUsize::new(80);

/// Fits the text to a terminal of so many columns.
pub fn fit(columns: usize) {
    WIDTH.store(columns, Ordering::Relaxed);
}

/// The width of the text.
pub(super) fn width() -> usize {
    WIDTH.load(Ordering::Relaxed)
}

pub(super) fn styled(style: Style, text: impl Display) -> String {
    format!("{style}{text}{style:#}")
}

pub(super) fn bold(text: impl Display) -> String {
    styled(Style::new().bold(), text)
}

pub(super) fn dim(text: impl Display) -> String {
    styled(Style::new().dimmed(), text)
}

pub(super) fn good(text: impl Display) -> String {
    styled(AnsiColor::Green.on_default(), text)
}

pub(super) fn bad(text: impl Display) -> String {
    styled(AnsiColor::BrightRed.on_default(), text)
}

pub(super) fn warm(text: impl Display) -> String {
    styled(AnsiColor::Yellow.on_default(), text)
}

pub(super) fn severity(severity: Severity) -> String {
    let word = format!("{:<5}", severity.word());
    match severity {
        Severity::Break => styled(AnsiColor::BrightRed.on_default().bold(), word),
        Severity::Risk => styled(AnsiColor::Yellow.on_default().bold(), word),
        Severity::Note => styled(AnsiColor::Cyan.on_default(), word),
    }
}

/// A section's heading.
pub fn heading(text: impl Display) -> String {
    bold(text)
}

/// What to type next.
pub fn hint(text: impl Display) -> String {
    format!("Next: {}", bold(text))
}

/// Text broken at blanks to fit the page behind an indent; the first line starts at `used`.
pub(super) fn wrapped(text: &str, used: usize, indent: usize) -> String {
    wrapped_to(width(), text, used, indent)
}

/// The same for another width. A word that is wider stays whole.
pub(super) fn wrapped_to(limit: usize, text: &str, used: usize, indent: usize) -> String {
    let mut out = String::new();
    let mut column = used;
    for word in text.split(' ') {
        let wide = word.width();
        if column + wide > limit && column > indent {
            out.truncate(out.trim_end().len());
            out.push('\n');
            out.push_str(&" ".repeat(indent));
            column = indent;
        }
        out.push_str(word);
        out.push(' ');
        column += wide + 1;
    }
    out.truncate(out.trim_end().len());
    out
}

/// Text padded to a width in cells.
pub(super) fn padded(text: &str, width: usize) -> String {
    format!("{text}{}", " ".repeat(width.saturating_sub(text.width())))
}

/// A line with one text on the left and one at the right edge.
pub(super) fn edges(left: &str, right: &str) -> String {
    let space = width().saturating_sub(left.width() + right.width()).max(2);
    format!("{left}{}{}", " ".repeat(space), dim(right))
}
