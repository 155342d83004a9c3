//! One definition on many databases: by database, and by finding.

mod html;
mod junit;
mod lists;
mod markdown;

pub use html::to_html;
pub use junit::to_junit;
pub use lists::{to_csv, to_xlsx};
pub use markdown::to_markdown;

use crate::Totals;
use crate::wording::{phrase, plural};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::changes::Change;
use ysomorph_core::impact::{Finding, Severity};
use ysomorph_core::name::shown;

/// What `impact` found on several databases.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct Several {
    /// Version of the format.
    pub format: u32,
    /// The command.
    pub command: String,
    /// Each database, in the order they were given.
    pub databases: Vec<OneOfMany>,
    /// Each finding once, with the databases that have it; worst first.
    pub findings: Vec<Shared>,
    /// What the application is called.
    #[serde(skip)]
    pub title: String,
    /// When they were looked at (RFC 3339).
    #[serde(skip)]
    pub when: String,
}

/// One database of many.
#[derive(Debug, Clone, Default, Serialize, JsonSchema)]
pub struct OneOfMany {
    /// What it is called.
    pub name: String,
    /// Where it is, without its password.
    pub source: String,
    /// Why it couldn't be looked at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub trouble: Option<String>,
    /// The digest of its schema.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub schema: String,
    /// How many changes there are against the accepted schema.
    pub changes: usize,
    /// How many findings of each severity.
    pub totals: Totals,
}

/// A finding with the databases that have it.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct Shared {
    /// The finding; its cause is told by `because`, since each database has its own changes.
    #[serde(flatten)]
    pub finding: Finding,
    /// The change that caused it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub because: Option<String>,
    /// The databases, by name.
    pub databases: Vec<String>,
}

/// What was found on one database.
#[derive(Debug, Default)]
pub struct Looked {
    /// The digest of its schema.
    pub schema: String,
    /// What changed there.
    pub changes: Vec<Change>,
    /// What breaks there.
    pub findings: Vec<Finding>,
}

/// Findings that say the same of the same, at several places.
#[derive(Debug)]
pub(crate) struct Entry<'s> {
    /// One of them.
    pub first: &'s Shared,
    /// How many there are.
    pub count: usize,
    /// On which pages.
    pub pages: BTreeSet<&'s str>,
    /// Where they stand, by file and line.
    pub places: Vec<String>,
}

impl<'s> Entry<'s> {
    fn add(&mut self, shared: &'s Shared) {
        self.count += 1;
        self.pages.extend(shared.finding.pages.iter().map(String::as_str));
        self.places.extend(shared.finding.at.as_ref().map(|at| format!("{}:{}", shown(&at.file), at.line)));
    }

    /// Whose it is, and on which pages.
    pub(crate) fn subject(&self) -> String {
        let entity = self.first.finding.entity.as_deref().map(shown).unwrap_or_default();
        if self.pages.is_empty() {
            return entity;
        }
        let pages = self.pages.iter().map(|page| shown(page)).collect::<Vec<_>>().join(", ");
        format!("{entity} ({pages})")
    }
}

impl OneOfMany {
    /// Whether the definition works there.
    pub fn is_fit(&self) -> bool {
        self.trouble.is_none() && self.totals.breaks + self.totals.risk == 0
    }

    /// What is to be said of the definition there.
    pub(crate) fn state(&self) -> &'static str {
        match self.rank() {
            0 => "needs a merge or an edit",
            1 => "couldn't be tried",
            _ => "works",
        }
    }

    /// What needs somebody comes first.
    pub(crate) fn rank(&self) -> u8 {
        match &self.trouble {
            Some(_) => 1,
            None if self.is_fit() => 2,
            None => 0,
        }
    }
}

impl Several {
    /// Brings together what was found: for each database its name, where it is, and what was found or why nothing could be.
    pub fn of(looked: Vec<(String, String, Result<Looked, String>)>) -> Several {
        let mut several = Several { format: 1, command: "impact".to_owned(), ..Several::default() };
        let mut known: BTreeMap<String, usize> = BTreeMap::new();
        for (name, source, outcome) in looked {
            let mut one = OneOfMany { name: name.clone(), source, ..OneOfMany::default() };
            match outcome {
                Err(trouble) => one.trouble = Some(trouble),
                Ok(found) => {
                    (one.schema, one.changes, one.totals) = (found.schema, found.changes.len(), Totals::of(&found.findings));
                    for finding in found.findings {
                        let because = finding.cause.and_then(|at| found.changes.get(at)).map(phrase);
                        let finding = Finding { cause: None, ..finding };
                        let identity = serde_json::to_string(&(&finding, &because)).unwrap_or_default();
                        let at = *known.entry(identity).or_insert(several.findings.len());
                        match several.findings.get_mut(at) {
                            Some(shared) if shared.databases.last() != Some(&name) => shared.databases.push(name.clone()),
                            Some(_) => {}
                            None => several.findings.push(Shared { finding, because, databases: vec![name.clone()] }),
                        }
                    }
                }
            }
            several.databases.push(one);
        }
        several.findings.sort_by(|a, b| {
            let key = |s: &Shared| (s.finding.severity, std::cmp::Reverse(s.databases.len()));
            key(a).cmp(&key(b)).then_with(|| a.finding.cmp(&b.finding))
        });
        several
    }

    /// The outcome in a sentence.
    pub(crate) fn outcome(&self) -> String {
        let of = |rank: u8| self.databases.iter().filter(|one| one.rank() == rank).count();
        let mut parts = vec![format!("the definition works on {}", of(2))];
        for (count, what) in [(of(0), "needs a merge or an edit on"), (of(1), "couldn't be tried on")] {
            if count > 0 {
                parts.push(format!("{what} {count}"));
            }
        }
        format!("{}: {}.", plural(self.databases.len(), "database", "databases"), parts.join(", "))
    }

    /// The findings by what caused them, the worst first; what differs in its place alone is one entry.
    pub(crate) fn causes(&self) -> Vec<(&str, Vec<Entry<'_>>)> {
        let mut causes: Vec<(&str, Vec<Entry<'_>>)> = Vec::new();
        let mut known: BTreeMap<&str, usize> = BTreeMap::new();
        let mut alike: BTreeMap<_, usize> = BTreeMap::new();
        for shared in &self.findings {
            let because = shared.because.as_deref().unwrap_or("So before any change");
            let at = *known.entry(because).or_insert(causes.len());
            if at == causes.len() {
                causes.push((because, Vec::new()));
            }
            let Some((_, entries)) = causes.get_mut(at) else { continue };
            let Finding { severity, rule, entity, message, .. } = &shared.finding;
            let place = *alike.entry((at, severity, rule, entity, message, &shared.databases)).or_insert(entries.len());
            if place == entries.len() {
                entries.push(Entry { first: shared, count: 0, pages: BTreeSet::new(), places: Vec::new() });
            }
            if let Some(entry) = entries.get_mut(place) {
                entry.add(shared);
            }
        }
        causes
    }

    /// The exit status: that of the worst.
    pub fn status(&self) -> u8 {
        let trouble = self.databases.iter().any(|d| d.trouble.is_some());
        if trouble { 2 } else { u8::from(self.databases.iter().any(|d| !d.is_fit())) }
    }
}

/// The JSON Schema of what `impact` finds on several databases.
pub fn several_schema() -> String {
    let schema = schemars::schema_for!(Several);
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}

/// Names in one line; the first ones of many.
pub(crate) fn some_of(names: &[String], most: usize) -> String {
    let shown_names: Vec<String> = names.iter().take(most).map(|n| shown(n)).collect();
    match names.len() - shown_names.len() {
        0 => shown_names.join(", "),
        more => format!("{} and {more} more", shown_names.join(", ")),
    }
}

/// Whether something keeps a database from being updated.
pub(crate) fn hinders(shared: &Shared) -> bool {
    shared.finding.severity != Severity::Note
}

#[cfg(test)]
mod tests {
    use super::{Looked, Several};
    use ysomorph_core::impact::{Finding, Severity};

    fn found(rules: &[(&'static str, Severity)]) -> Looked {
        let findings = rules.iter().map(|(rule, severity)| Finding::new(rule, *severity, "a matter").entity("keeper")).collect();
        Looked { findings, ..Looked::default() }
    }

    #[test]
    fn a_finding_is_told_once_with_all_that_have_it() {
        let missing = ("page/column-missing", Severity::Break);
        let told = |name: &str, outcome| (name.to_owned(), format!("sqlite:{name}"), outcome);
        let looked = vec![
            told("north", Ok(found(&[]))),
            told("south", Ok(found(&[missing, ("value/optional-now", Severity::Note)]))),
            told("west", Ok(found(&[missing]))),
        ];
        let several = Several::of(looked);
        assert_eq!(several.status(), 1);
        let fit: Vec<bool> = several.databases.iter().map(super::OneOfMany::is_fit).collect();
        assert_eq!(fit, [true, false, false]);
        let shared: Vec<(&str, &[String])> = several.findings.iter().map(|s| (s.finding.rule, s.databases.as_slice())).collect();
        assert_eq!(shared[0], ("page/column-missing", ["south".to_owned(), "west".to_owned()].as_slice()));
        assert_eq!(shared[1].0, "value/optional-now");
        let trouble = Several::of(vec![told("east", Err("no answer".to_owned())), told("north", Ok(found(&[])))]);
        assert_eq!(trouble.status(), 2);
    }
}
