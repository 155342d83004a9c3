//! A report as a comment on a change request: the outcome, a table of what changed, and the stories folded.

use crate::stories::{Story, beside, counts, merged, remedy, sentence, stories};
use crate::wording::{described, phrase, plural};
use crate::{PartReport, Report};
use ysomorph_core::impact::Severity;
use ysomorph_core::name::shown;

/// What code hosts take as one comment, in characters.
const MOST: usize = 65_536;

/// Room kept for what is said about what was left out.
const RESERVE: usize = 200;

/// A report as Markdown with tables and folded details, as code hosts show it.
pub fn to_markdown(report: &Report) -> String {
    let mut text = Bounded::default();
    text.add(&format!("**{}**\n", escaped(&outcome(report))));
    for question in report.questions.iter().filter(|q| q.is_open()) {
        text.add(&format!(
            "- [ ] `ysomorph decide {}` ({})\n",
            code(&question.name),
            question.choices.iter().map(|c| escaped(&shown(c))).collect::<Vec<_>>().join(" or ")
        ));
    }
    for left in report.follow_ups.as_deref().unwrap_or_default() {
        text.add(&format!("- [ ] {}\n", prose(&shown(&left.finding.message))));
    }
    let stories = stories(report);
    if stories.is_empty() {
        changes(report, &mut text);
    } else {
        table(&stories, &mut text);
        stories.iter().for_each(|one| story(report, one, &mut text));
    }
    for (title, parts) in [("Set aside", &report.set_aside), ("Put back", &report.restored)] {
        fold(title, parts.as_deref().unwrap_or_default(), &mut text);
    }
    text.finished()
}

fn outcome(report: &Report) -> String {
    match report.command.as_str() {
        "changes" => match report.counted_changes() {
            0 => "Nothing changed.".to_owned(),
            count => format!("{} in the database.", plural(count, "change", "changes")),
        },
        "merge" | "accept" => merged(report),
        "impact" => sentence(report),
        _ => match counts(report.totals.unwrap_or_default()) {
            none if none.is_empty() => "Sound: nothing found.".to_owned(),
            some => format!("{some}."),
        },
    }
}

fn table(stories: &[Story<'_>], text: &mut Bounded) {
    text.add("\n| | change | breaks | risks | notes | what becomes of it |\n|---|---|--:|--:|--:|---|\n");
    for story in stories {
        let worst = story.entries.iter().map(|e| e.first.severity).min().unwrap_or(Severity::Note);
        let totals = story.totals;
        text.add(&format!(
            "| {} | {} | {} | {} | {} | {} |\n",
            worst.word(),
            escaped(&title(story)),
            totals.breaks,
            totals.risk,
            totals.note,
            story.usual.unwrap_or_default()
        ));
    }
}

fn title(story: &Story<'_>) -> String {
    story.change.map_or_else(|| "so before the change".to_owned(), phrase)
}

fn story(report: &Report, story: &Story<'_>, text: &mut Bounded) {
    let mut body = String::new();
    if let Some(change) = story.change {
        body.push_str(&format!("{}\n\n", escaped(&described(change, &report.later).1)));
    }
    for entry in &story.entries {
        let first = entry.first;
        body.push_str(&format!(
            "- **{}** {}: {}",
            first.severity.word(),
            escaped(&entry.place),
            prose(&shown(beside(first, story.change)))
        ));
        if !entry.elsewhere.is_empty() {
            body.push_str(&format!("; and so {}", escaped(&entry.elsewhere.join("; "))));
        }
        if let Some(then) = remedy(first).filter(|then| story.usual != Some(*then)) {
            body.push_str(&format!(" ({then})"));
        }
        if let Some(at) = &first.at {
            body.push_str(&format!(" `{}:{}`", code(&at.file), at.line));
        }
        body.push_str(&format!(" `{}`\n", first.rule));
    }
    folded(&format!("{}: {}", title(story), counts(story.totals)), &body, text);
}

fn changes(report: &Report, text: &mut Bounded) {
    if report.changes.is_empty() {
        return;
    }
    text.add("\n| what | change |\n|---|---|\n");
    for change in &report.changes {
        text.add(&format!("| {} | {} |\n", escaped(&shown(&change.subject())), escaped(&described(change, &report.later).1)));
    }
}

fn fold(title: &str, parts: &[PartReport], text: &mut Bounded) {
    if parts.is_empty() {
        return;
    }
    let line = |part: &PartReport| format!("- `{}`: {}\n", code(&part.path), escaped(&shown(&part.because)));
    folded(&format!("{title}: {}", parts.len()), &parts.iter().map(line).collect::<String>(), text);
}

/// A block under a line that unfolds it.
pub(crate) fn folded(summary: &str, body: &str, text: &mut Bounded) {
    text.add(&format!("\n<details><summary>{}</summary>\n\n{body}\n</details>\n", html(summary)));
}

/// A text that stays below what a comment may have; what doesn't fit is counted.
#[derive(Default)]
pub(crate) struct Bounded {
    text: String,
    left_out: usize,
}

impl Bounded {
    /// Adds a block whole or not at all.
    pub(crate) fn add(&mut self, block: &str) {
        // A host counts characters; bytes are at least as many.
        if self.text.len() + block.len() + RESERVE <= MOST {
            self.text.push_str(block);
        } else {
            self.left_out += 1;
        }
    }

    pub(crate) fn finished(self) -> String {
        match self.left_out {
            0 => self.text,
            1 => format!("{}\n1 part was too long for a comment and is left out here.\n", self.text),
            many => format!("{}\n{many} parts were too long for a comment and are left out here.\n", self.text),
        }
    }
}

/// Text that can't become markup, a mention of a person or a reference to an issue.
pub(crate) fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '<' | '>' | '&' | '@' => out.push_str(&format!("&#{};", u32::from(c))),
            '\\' | '`' | '*' | '_' | '[' | ']' | '|' | '#' | '~' | '$' | '!' => out.extend(['\\', c]),
            '\n' | '\r' => out.push(' '),
            other => out.push(other),
        }
    }
    out
}

/// A sentence, with what stands in backticks as code where that is safe.
pub(crate) fn prose(text: &str) -> String {
    let parts: Vec<&str> = text.split('`').collect();
    let is_plain = |part: &&str| !part.is_empty() && part.chars().all(|c| c.is_alphanumeric() || "._-/: ()=,".contains(c));
    let is_safe = parts.len() % 2 == 1 && parts.iter().skip(1).step_by(2).all(is_plain);
    if !is_safe {
        return escaped(text);
    }
    parts.iter().enumerate().map(|(at, part)| if at % 2 == 1 { format!("`{part}`") } else { escaped(part) }).collect()
}

/// Text within a code span: it ends at the next backtick, and a table's cell at the next bar.
pub(crate) fn code(text: &str) -> String {
    shown(text).replace('`', "'").replace('|', "¦")
}

/// Text within HTML.
fn html(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('@', "&#64;")
}

#[cfg(test)]
mod tests {
    use super::{Bounded, MOST, escaped};

    #[test]
    fn names_are_no_markup() {
        let hostile = "<script>*a*_b_ `c` [d](e) @everybody #12 | \\ \n---";
        let text = escaped(hostile);
        assert!(!text.contains('<') && !text.contains('@') && !text.contains('\n'), "{text}");
        assert_eq!(text, "&#60;script&#62;\\*a\\*\\_b\\_ \\`c\\` \\[d\\](e) &#64;everybody \\#12 \\| \\\\  ---");
    }

    #[test]
    fn a_comment_is_never_too_long_and_says_what_is_left_out() {
        let mut text = Bounded::default();
        (0..1000).for_each(|_| text.add(&"ü".repeat(100)));
        let text = text.finished();
        assert!(text.chars().count() <= MOST && text.contains("left out here"), "{}", text.len());
    }
}
