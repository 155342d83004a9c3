//! Cases of a rule: what the rule finds of a [`case`](super::case).
//!
//! ```text
//! after keeper.phone -> mobile
//! finds break keeper/page.list.fields[2]: phone is called   the severity, the place, a piece of the message; `of visit` behind
//!                                               the place where it is another entity's pages that are concerned
//! finds nothing
//! ```
//!
//! Without `after` it is a `check`. A rule has to say what its case says and no more; it has a case in which it finds something,
//! and a near one in which it finds nothing.

use super::case::{Case, cases, said};
use super::merging::within_reach;
use crate::changes::compare;
use crate::impact::code::{Hit, sought};
use crate::impact::{Around, Finding, ImpactInput, Rule, check_with, data, impact, told_whatever_changes};
use crate::rename::Known;
use std::fmt::Write as _;

/// Runs the cases of a rule.
pub fn hold(rule: &Rule, text: &str) {
    let mut wrong = String::new();
    let (mut firing, mut silent) = (0, 0);
    for case in cases(text) {
        let expected: Vec<&str> = said(case, "finds").collect();
        assert!(!expected.is_empty(), "a case of {} expects nothing, not even `finds nothing`:\n{case}", rule.name);
        let found = Case::read(case).found(rule);
        let is_silent = expected == ["nothing"];
        *(if is_silent { &mut silent } else { &mut firing }) += 1;
        let all_expected = expected.iter().all(|e| found.iter().any(|f| agrees(f, e)));
        let all_found = found.iter().all(|f| expected.iter().any(|e| agrees(f, e)));
        let all_expected = is_silent && found.is_empty() || expected.len() == found.len() && all_expected && all_found;
        if !all_expected {
            let told: String = found.iter().map(|f| format!("    finds {f}\n")).collect();
            let told = if told.is_empty() { "    finds nothing\n" } else { &told };
            let _ = write!(wrong, "\n{}\nbut it\n{told}", case);
        }
    }
    assert!(wrong.is_empty(), "{}:{wrong}", rule.name);
    assert!(firing > 0 && silent > 0, "{} finds something in {firing} cases and nothing in {silent}", rule.name);
}

/// Whether what was found is what a case expects: severity and place, and a piece of the message.
fn agrees(found: &str, expected: &str) -> bool {
    let (at, piece) = expected.split_once(": ").unwrap_or((expected, ""));
    let (found_at, message) = found.split_once(": ").unwrap_or((found, ""));
    found_at == at && message.contains(piece)
}

impl Case {
    /// What a rule finds: the severity, the place and the message of each finding.
    fn found(mut self, rule: &Rule) -> Vec<String> {
        let Some(after) = self.after.take() else {
            let problems = check_with(&self.tree, &self.before, &self.around);
            return self.told(rule, &problems);
        };
        let known = Known { answers: std::mem::take(&mut self.answers), ..Known::default() };
        let comparison = compare(&self.before, &after, &known);
        let words = sought(&comparison);
        self.around.code = self.code.iter().flat_map(|(file, text)| hits(file, text, words.keys())).collect();
        let input = |around| ImpactInput { tree: &self.tree, accepted: &self.before, changed: &after, comparison: &comparison, around };
        let counts = data::plan(input(&self.around));
        let counts = counts.into_iter().flat_map(|table| table.counts).filter(|count| count.rule == rule.name);
        let around = Around {
            data: counts.map(|count| data::Counted { count, records: self.counted, of: 10, more: false }).collect(),
            ..self.around.clone()
        };
        let findings = impact(input(&around));
        if around.translations.is_empty() {
            // What the change reaches tells all.
            let part = within_reach(&self.tree, &self.before, &after, &told_whatever_changes(&findings));
            let of_part = impact(ImpactInput { tree: &part, ..input(&around) });
            let closed: Vec<&str> = part.asleep.iter().map(|(entity, _)| entity).collect();
            assert_eq!(of_part, findings, "{}: with {closed:?} closed, something else is found", rule.name);
        }
        for finding in findings.iter().filter(|f| f.rule == rule.name) {
            let kind = finding.cause.and_then(|at| comparison.changes.get(at)).map(|change| change.kind);
            // Records may have been so for long. All else is due to a change, of a kind that the rule declares.
            let is_declared = kind.map_or(rule.name.starts_with("data/"), |kind| rule.changes.contains(&kind));
            assert!(is_declared, "{} doesn't declare {kind:?}, which caused {}", rule.name, finding.message);
        }
        self.told(rule, &findings)
    }

    fn told(&self, rule: &Rule, findings: &[Finding]) -> Vec<String> {
        let told = |finding: &Finding| {
            let place = finding.at.as_ref().map(|at| match self.places.get(&(at.file.clone(), at.line)) {
                Some(path) => format!(" {path}"),
                None => format!(" {}:{}:{}", at.file, at.line, at.column),
            });
            // Pages of another entity may break at this place too.
            let home = |file: &str, entity: &String| file == format!("app/{entity}.toml");
            let elsewhere = finding.at.as_ref().zip(finding.entity.as_ref()).filter(|(at, entity)| !home(&at.file, entity));
            let of = elsewhere.map_or_else(String::new, |(_, entity)| format!(" of {entity}"));
            format!("{}{}{of}: {}", finding.severity.word(), place.unwrap_or_default(), finding.message)
        };
        findings.iter().filter(|f| f.rule == rule.name).map(told).collect()
    }
}

/// Every place of a word in a text.
fn hits<'w>(file: &str, text: &str, words: impl Iterator<Item = &'w String>) -> Vec<Hit> {
    let is_part = |c: char| c.is_alphanumeric() || c == '_';
    let mut all: Vec<Hit> = Vec::new();
    for word in words {
        for (offset, found) in text.match_indices(word.as_str()) {
            let (before, behind) = (&text[..offset], &text[offset + found.len()..]);
            if before.ends_with(is_part) || behind.starts_with(is_part) {
                continue;
            }
            let line = before.rsplit('\n').next().unwrap_or_default();
            let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
            let (line, column) = (count(before.matches('\n').count() + 1), count(line.chars().count() + 1));
            all.push(Hit { file: file.to_owned(), text: text.into(), offset, line, column, word: found.to_owned() });
        }
    }
    all.sort_by_key(|hit| hit.offset);
    all
}
