//! Which files of a large definition a look at a change opens.

use crate::index::{Digests, Index, Standing, digest};
use crate::kept::{KNOWN, Stored};
use crate::state::ACCEPTED;
use crate::state::follow_ups::FOLLOW_UPS;
use crate::toml::parse;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;
use ysomorph_core::definition::{Asleep, FileKey, Node};
use ysomorph_core::merge::{is_about_tables, reached};
use ysomorph_core::schema::Schema;

/// A change that somebody looks at.
#[derive(Clone, Copy)]
pub(crate) struct Change<'a> {
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// Entities to open whether it reaches them or not.
    pub also: &'a BTreeSet<String>,
    /// Whether what earlier merges left to people is looked at too, which may be anywhere.
    pub with_follow_ups: bool,
    /// Whether what people customised is looked at too.
    pub with_customised: bool,
}

/// What is read of a workspace before its definition is opened.
pub(crate) struct Unopened<'a> {
    pub root: &'a Path,
    pub config_text: &'a str,
    pub texts: &'a BTreeMap<FileKey, String>,
    /// Its state, by file.
    pub state: &'a BTreeMap<String, String>,
    pub accepted: &'a Schema,
}

/// What was known of a definition's files before they were opened.
#[derive(Debug)]
pub(crate) struct Known {
    pub index: Index,
    pub digests: Digests,
}

impl Unopened<'_> {
    /// What an index knows of the files; nothing where there is none.
    pub fn known(&self) -> Option<Known> {
        let index = Index::read(self.root, &self.around())?;
        Some(Known { index, digests: Digests::of(self.texts, self.state) })
    }

    /// The entities that a look at a change can leave closed, and what they are known by; nothing where it may be about any of them.
    pub fn asleep(&self, known: &Known, change: Change<'_>) -> Option<Asleep> {
        if self.may_be_anywhere(change) {
            return None;
        }
        let index = &known.index;
        let Standing { mut known, mut closed, edited } = index.standing(&known.digests);
        let is_looked_at = |entity: &str| change.also.contains(entity) || change.with_customised && index.may_be_customised(entity);
        closed.retain(|entity| !is_looked_at(entity));
        // What somebody edited is read as it stands, with what is hidden in it.
        let is_edited = |file: &FileKey| edited.contains(file.name());
        let kept = Stored::read(self.state, &is_edited).ok()?.lifted(self.texts, &is_edited);
        for entity in edited.iter().filter(|entity| self.texts.contains_key(&FileKey::Entity((*entity).clone()))) {
            known.insert(entity.clone(), Arc::new(kept.whole.sleeper(entity)?.0));
        }
        let open = reached(&known, (&edited, &closed), self.accepted, change.changed)?;
        known.retain(|entity, _| !open.contains(entity));
        Some(Asleep::new(known))
    }

    /// Whether a look at a change is about all of a definition from the start: what earlier merges left to people may be anywhere, as
    /// may be what objects beside tables are named by.
    pub fn may_be_anywhere(&self, change: Change<'_>) -> bool {
        let is_left = change.with_follow_ups && self.state.contains_key(FOLLOW_UPS);
        is_left || !is_about_tables(self.accepted, change.changed)
    }

    /// The digest of what every file depends on: the configuration, the accepted schema and what is known of it, and the roles and
    /// parameters that files may name.
    pub fn around(&self) -> String {
        let app = self.texts.get(&FileKey::App).and_then(|text| parse(text).ok());
        around(self.config_text, app.as_ref(), self.state)
    }
}

/// See [`Unopened::around`].
pub(crate) fn around(config: &str, app: Option<&Node>, state: &BTreeMap<String, String>) -> String {
    let names = |key: &str| {
        let all = app.and_then(|app| app.get(key)).map(Node::entries).unwrap_or_default();
        all.iter().map(|entry| entry.key.as_str()).collect::<Vec<_>>().join("\0")
    };
    let of = |file: &str| state.get(file).map(String::as_str).unwrap_or_default();
    let (roles, parameters) = (names("role"), names("parameter"));
    let parts = [config, of(ACCEPTED), of(KNOWN), &roles, &parameters];
    digest(&parts.map(digest).join(" "))
}
