//! What a rule is.

use super::named::ABOUT_CODE;
use super::{Context, ElementKind, Finding, Severity};
use crate::changes::ChangeKind;

/// What a rule is, for people.
#[derive(Debug, Clone, Copy)]
pub struct Docs {
    /// What it finds.
    pub detects: &'static str,
    /// Why that matters.
    pub matters: &'static str,
    /// A made-up definition or schema before…
    pub before: &'static str,
    /// …and what happens to it.
    pub after: &'static str,
    /// What to do, and what the merge does.
    pub to_do: &'static str,
}

/// A rule.
#[derive(Debug, Clone, Copy)]
pub struct Rule {
    /// `group/name`
    pub name: &'static str,
    /// The usual severity.
    pub severity: Severity,
    /// The kinds of changes that can cause it; none for what is wrong in the definition itself.
    pub changes: &'static [ChangeKind],
    /// The kinds of elements it is about.
    pub elements: &'static [ElementKind],
    /// For people.
    pub docs: Docs,
    /// Adds its findings.
    pub check: fn(&Context<'_>, &mut Vec<Finding>),
}

impl Rule {
    /// Whether it tells what is wrong with the definition by itself.
    pub fn is_about_definition(&self) -> bool {
        self.name.starts_with("definition/")
    }

    /// Whether it is about hand-written code, or programs of the database.
    pub fn is_about_code(&self) -> bool {
        self.name.starts_with(ABOUT_CODE)
    }
}
