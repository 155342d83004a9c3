//! `.ysomorph/follow-ups.toml`: what merges left to a person. A follow-up closes when it is true no more, or by hand.

use crate::files::{FileError, read_state};
use crate::joined::Sides;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use ysomorph_core::access;
use ysomorph_core::changes::{Change, Comparison};
use ysomorph_core::definition::{FileKey, Node, Tree};
use ysomorph_core::impact::named::{ABOUT_CODE, CONDITION_BROKEN, FIELD_UNPLACED, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN};
use ysomorph_core::impact::{self, Severity};
use ysomorph_core::name;
use ysomorph_core::schema::Schema;

/// The file.
pub(crate) const FOLLOW_UPS: &str = ".ysomorph/follow-ups.toml";

/// Something left to a person.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FollowUp {
    /// Its stable name, to close it by.
    pub name: String,
    /// The rule that found it.
    pub rule: String,
    /// How bad it is.
    #[serde(default = "risk")]
    pub severity: Severity,
    /// The file concerned.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
    /// The entity concerned.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub entity: Option<String>,
    /// The field concerned.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub field: Option<String>,
    /// What is the matter.
    pub message: String,
    /// In how many places.
    #[serde(default = "one", skip_serializing_if = "is_one")]
    pub places: usize,
    /// For what can't be told from the files alone: the SQL it is about; closed when that was changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sql: Option<String>,
    /// Closed by a person.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub done: bool,
    /// The change that it comes of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cause: Option<Change>,
}

fn risk() -> Severity {
    Severity::Risk
}

fn one() -> usize {
    1
}

fn is_one(places: &usize) -> bool {
    *places == 1
}

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct File {
    /// Version of the format; a newer one is refused before it is read.
    #[serde(skip_serializing_if = "Option::is_none")]
    format: Option<u32>,
    follow_up: Vec<FollowUp>,
}

pub(super) fn read(text: &str) -> Result<Vec<FollowUp>, FileError> {
    read_state::<File>(FOLLOW_UPS, text).map(|file| file.follow_up)
}

pub(crate) fn write(follow_ups: &[FollowUp]) -> Option<String> {
    if follow_ups.is_empty() {
        return None;
    }
    ::toml::to_string_pretty(&File { format: Some(1), follow_up: follow_ups.to_vec() }).ok()
}

/// The follow-ups of both sides of a conflict: one that either side closed is closed.
pub(super) fn of_both(sides: &Sides) -> Result<String, String> {
    let read = |text: &str| read(text).map_err(|e| e.message);
    let mut all = read(&sides.ours)?;
    for theirs in read(&sides.theirs)? {
        match all.iter_mut().find(|ours| ours.name == theirs.name) {
            Some(ours) => ours.done |= theirs.done,
            None => all.push(theirs),
        }
    }
    all.sort_by(|a, b| (a.severity, &a.name).cmp(&(b.severity, &b.name)));
    Ok(write(&all).unwrap_or_default())
}

impl FollowUp {
    /// What has one name, with what it was when it was found earlier: closed, it stays so until there is more of it.
    fn of(name: &str, found: &[&impact::FollowUp], earlier: Option<&FollowUp>, tree: &Tree) -> Option<FollowUp> {
        let first = &found.first()?.finding;
        let mut messages: Vec<&str> = Vec::new();
        for one in found.iter().map(|f| f.finding.message.as_str()) {
            if !messages.contains(&one) {
                messages.push(one);
            }
        }
        let (message, places) = (messages.join("; "), found.len());
        let done = earlier.is_some_and(|e| e.done && e.message == message && e.places >= places);
        Some(FollowUp {
            name: name.to_owned(),
            rule: first.rule.to_owned(),
            severity: found.iter().map(|f| f.finding.severity).min().unwrap_or(first.severity),
            file: first.at.as_ref().map(|at| at.file.clone()),
            entity: first.entity.clone(),
            field: first.field.clone(),
            message,
            places,
            sql: (first.cause.is_none() && first.severity == Severity::Risk).then(|| text_at(tree, first)).flatten(),
            done,
            cause: found.iter().find_map(|f| f.cause.clone()),
        })
    }

    /// The name that was lost, where it is about one: it is judged again by that.
    pub(crate) fn lost(&self) -> Option<&Change> {
        self.cause.as_ref().filter(|change| impact::is_lost_name(change.kind))
    }

    /// As it is after a further change; nothing where that took back what it comes of.
    pub(crate) fn after(&self, change: &Comparison, renamed_fields: &[(String, String, String)], now: &Schema) -> Option<FollowUp> {
        let mut after = self.clone();
        if let (None, Some(cause)) = (self.lost(), &self.cause) {
            after.cause = Some(impact::since(cause, &change.changes, &change.taken(), now.engine)?);
        }
        let renamed =
            renamed_fields.iter().find(|(entity, from, _)| Some(entity) == self.entity.as_ref() && Some(from) == self.field.as_ref());
        if let Some((entity, from, to)) = renamed {
            after.field = Some(to.clone());
            if self.name == format!("{}/{entity}/{from}", self.rule) {
                after.name = format!("{}/{entity}/{to}", self.rule);
            }
        }
        Some(after)
    }

    /// The entity and the field that it wants to be placed.
    pub(crate) fn unplaced(&self) -> Option<(&str, &str)> {
        (self.rule == FIELD_UNPLACED).then_some(self.entity.as_deref().zip(self.field.as_deref()))?
    }

    /// Whether it is about a condition that was replaced, or a rule that was set aside.
    pub(crate) fn is_to_decide(&self) -> bool {
        let rules = [CONDITION_BROKEN, LOOKUP_CONDITION_BROKEN, ROW_FILTER_BROKEN, RULE_BROKEN];
        self.severity == Severity::Risk && self.cause.is_none() && rules.contains(&self.rule.as_str())
    }

    /// The entity and the rule that was set aside.
    pub(crate) fn rule_set_aside(&self) -> Option<(&str, &str)> {
        let entity = self.entity.as_deref().filter(|_| self.rule == RULE_BROKEN && self.is_to_decide() && self.sql.is_none())?;
        Some((entity, self.name.strip_prefix(RULE_BROKEN)?.strip_prefix('/')?.strip_prefix(entity)?.strip_prefix('/')?))
    }

    /// Whether what it is about is still there, where nothing else tells.
    fn is_still_there(&self, tree: &Tree, broken: &[String]) -> bool {
        // A view or trigger that the database can't read: so long as it says so.
        if self.rule.starts_with(ABOUT_CODE) && self.lost().is_none() {
            return broken.iter().any(|object| self.name.ends_with(object));
        }
        // Whether a condition is still replaced, and a rule set aside, was just judged.
        if self.sql.as_deref() == Some(access::NOBODY) || self.rule_set_aside().is_some() {
            return false;
        }
        if let Some(sql) = &self.sql {
            return tree.files.values().any(|root| holds(root, sql));
        }
        // Whether it fails, and whether a lost name is still spoken of, was just judged.
        if self.severity == Severity::Break || self.lost().is_some() || self.severity == Severity::Note {
            return false;
        }
        let Some(entity) = &self.entity else { return true };
        let root = tree.files.get(&FileKey::Entity(entity.clone()));
        root.is_some_and(|root| self.field.as_ref().is_none_or(|field| root.get("field").is_some_and(|f| f.get(field).is_some())))
    }
}

/// What the database itself can't read: views, and the tables that triggers of that kind are on, as names are written.
fn broken(now: &Schema) -> Vec<String> {
    let broken = now.tables.iter().filter(|t| t.broken.is_some() || t.triggers.iter().any(|trigger| trigger.broken.is_some()));
    broken.map(|t| name::written(&t.name)).collect()
}

/// What is left to people: what was found now, and earlier ones that are still so. In an order that doesn't depend on lines: they
/// move with the next edit.
pub(crate) fn of(found: &[impact::FollowUp], earlier: &[FollowUp], tree: &Tree, now: &Schema) -> Vec<FollowUp> {
    let broken = broken(now);
    let mut by_name: BTreeMap<&str, Vec<&impact::FollowUp>> = BTreeMap::new();
    for one in found {
        by_name.entry(&one.name).or_default().push(one);
    }
    let known = |name: &str| earlier.iter().find(|f| f.name == name);
    let mut all: Vec<FollowUp> = by_name.iter().filter_map(|(name, found)| FollowUp::of(name, found, known(name), tree)).collect();
    let still = |f: &&FollowUp| !by_name.contains_key(f.name.as_str()) && f.is_still_there(tree, &broken);
    all.extend(earlier.iter().filter(still).cloned());
    all.sort_by(|a, b| (a.severity, &a.name).cmp(&(b.severity, &b.name)));
    all
}

/// The text that stands where a finding is.
fn text_at(tree: &Tree, finding: &impact::Finding) -> Option<String> {
    let at = finding.at.as_ref()?;
    let root = tree.files.iter().find(|(file, _)| file.path() == at.file)?.1;
    let mut found = None;
    each_text(root, &mut |node, text| {
        if (node.at.line, node.at.column) == (at.line, at.column) {
            found = Some(text.to_owned());
        }
    });
    found
}

/// Whether a file still holds a text as one of its values.
fn holds(root: &Node, wanted: &str) -> bool {
    let mut found = false;
    each_text(root, &mut |_, text| found |= text == wanted);
    found
}

fn each_text(node: &Node, visit: &mut dyn FnMut(&Node, &str)) {
    if let Some(text) = node.as_text() {
        visit(node, text);
    }
    node.items().iter().for_each(|item| each_text(item, visit));
    node.entries().iter().for_each(|entry| each_text(&entry.node, visit));
}
