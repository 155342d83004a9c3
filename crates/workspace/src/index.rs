//! `.ysomorph/index/`: what the files of a large definition say of each other, so that a look opens only those that a change
//! reaches. It can be taken away at any time, and is kept out of version control; a look makes it
//! anew, of the files or of all that it opened. A file counts as known where its bytes and those of what is kept of it are what they were.

use crate::folder;
use crate::kept::list_of;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::Arc;
use ysomorph_core::definition::{FileKey, Sleeper};

const FOLDER: &str = ".ysomorph/index";
/// The digest of the rest in its first line, what it is of in the second, and then an entity a line: of damaged bytes some could still
/// be read.
const FILE: &str = "entities";

/// The digest that an index goes by. It is told to nobody, so it is the fastest of those that nobody can forge.
pub(crate) fn digest(text: &str) -> String {
    blake3::hash(text.as_bytes()).to_hex().as_str().to_owned()
}

/// What is known of the files of a definition.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Index {
    origin: Origin,
    /// By entity.
    pub entities: BTreeMap<String, Indexed>,
}

/// What an index is of.
#[derive(Debug, Default, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Origin {
    /// The program that made it.
    program: String,
    /// The digest of what every file depends on.
    around: String,
}

impl Origin {
    /// By this program: other versions may look at other things.
    fn now(around: String) -> Origin {
        Origin { program: env!("CARGO_PKG_VERSION").to_owned(), around }
    }
}

/// What is known of a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub(crate) struct Indexed {
    /// The digest of its text.
    text: String,
    /// The digest of its list, if it has one.
    list: Option<String>,
    /// Whether it may stay closed where nothing reaches it.
    may_sleep: bool,
    /// How many customisations stand in it.
    pub customised: usize,
    /// Whether they were counted while nothing changed: with a change, what it meets may be counted otherwise.
    counted_at_rest: bool,
    sleeper: Arc<Sleeper>,
}

/// What a look saw of an entity.
pub(crate) struct Seen {
    pub sleeper: Sleeper,
    /// Whether it may stay closed where nothing reaches it.
    pub may_sleep: bool,
    /// How many customisations stand in it, and whether they were counted while nothing changed.
    pub customised: usize,
    pub counted_at_rest: bool,
}

/// The digests of a definition's files and of what is kept of them.
#[derive(Debug)]
pub(crate) struct Digests {
    of: BTreeMap<String, (String, Option<String>)>,
}

impl Digests {
    /// Of these texts and the state's.
    pub fn of(texts: &BTreeMap<FileKey, String>, state: &BTreeMap<String, String>) -> Digests {
        let entities: Vec<(&FileKey, &String)> = texts.iter().filter(|(file, _)| **file != FileKey::App).collect();
        let of = |(file, text): (&FileKey, &String)| {
            let list = state.get(&list_of(file)).map(|text| digest(text));
            (file.name().to_owned(), (digest(text), list))
        };
        Digests { of: entities.into_par_iter().map(of).collect::<Vec<_>>().into_iter().collect() }
    }
}

/// Which entities a look may leave closed.
pub(crate) struct Standing {
    /// What is known of those whose files are as they were.
    pub known: BTreeMap<String, Arc<Sleeper>>,
    /// Those of them that may stay closed.
    pub closed: BTreeSet<String>,
    /// Those whose files are new, other than they were, or gone.
    pub edited: BTreeSet<String>,
}

impl Index {
    /// Whether there is one.
    pub fn is_there(root: &Path) -> bool {
        folder::is_file(root, &Index::path())
    }

    /// Where it is, in the workspace.
    pub fn path() -> String {
        format!("{FOLDER}/{FILE}")
    }

    /// The index of a workspace, made by this program around the same; nothing where there is none or it can't be read.
    pub fn read(root: &Path, around: &str) -> Option<Index> {
        let bytes = folder::read(root, &Index::path()).ok()??;
        let text = String::from_utf8(bytes).ok()?;
        let (told, rest) = text.split_once('\n')?;
        let mut lines = rest.lines();
        let origin: Origin = serde_json::from_str(lines.next()?).ok()?;
        if origin != Origin::now(around.to_owned()) || digest(rest) != told {
            return None;
        }
        let read = |line: &&str| serde_json::from_str::<(String, Indexed)>(line).ok();
        let entities: Option<Vec<(String, Indexed)>> = lines.collect::<Vec<_>>().par_iter().map(read).collect();
        Some(Index { origin, entities: entities?.into_iter().collect() })
    }

    /// How the files stand to what is known of them.
    pub fn standing(&self, digests: &Digests) -> Standing {
        let is_known = |(entity, (text, list)): (&String, &(String, Option<String>))| {
            self.entities.get(entity).is_some_and(|known| known.text == *text && known.list == *list)
        };
        let (known, edited): (Vec<_>, Vec<_>) = digests.of.iter().partition(|(entity, of)| is_known((entity, of)));
        let gone = self.entities.keys().filter(|entity| !digests.of.contains_key(*entity));
        let known: Vec<(&String, &Indexed)> = known.into_iter().filter_map(|(e, _)| self.entities.get_key_value(e)).collect();
        Standing {
            closed: known.iter().filter(|(_, known)| known.may_sleep).map(|(e, _)| (*e).clone()).collect(),
            edited: edited.into_iter().map(|(e, _)| e).chain(gone).cloned().collect(),
            known: known.into_iter().map(|(e, known)| (e.clone(), Arc::clone(&known.sleeper))).collect(),
        }
    }

    /// Whether people may have customised an entity.
    pub fn may_be_customised(&self, entity: &str) -> bool {
        self.entities.get(entity).is_none_or(|known| known.customised > 0 || !known.counted_at_rest)
    }

    /// What is known of files as they stand.
    pub fn of(around: String, digests: &Digests, seen: impl Fn(&str) -> Option<Seen> + Sync) -> Index {
        let of = |(entity, (text, list)): (&String, &(String, Option<String>))| {
            let Seen { sleeper, may_sleep, customised, counted_at_rest } = seen(entity)?;
            let (text, list, sleeper) = (text.clone(), list.clone(), Arc::new(sleeper));
            Some((entity.clone(), Indexed { text, list, may_sleep, customised, counted_at_rest, sleeper }))
        };
        let entities = digests.of.par_iter().filter_map(of).collect::<Vec<_>>().into_iter().collect();
        Index { origin: Origin::now(around), entities }
    }

    /// Keeps what is known of files as they stand: of what was opened, what is known of it now and whether it may stay closed; of
    /// the rest, what was known before. Nothing depends on it: what can't be written isn't.
    pub fn keep(root: &Path, around: String, digests: &Digests, opened: impl Fn(&str) -> Option<Seen> + Sync, before: Option<&Index>) {
        let Index { origin, entities: mut opened } = Index::of(around, digests, opened);
        for (entity, now) in &mut opened {
            let earlier = before.and_then(|before| before.entities.get(entity));
            if let Some(earlier) = earlier.filter(|e| e.counted_at_rest && (&e.text, &e.list) == (&now.text, &now.list)) {
                (now.customised, now.counted_at_rest) = (earlier.customised, true);
            }
        }
        let is_known = |before: &Index| {
            before.entities.keys().all(|entity| digests.of.contains_key(entity))
                && opened.iter().all(|(entity, one)| before.entities.get(entity) == Some(one))
        };
        if before.is_some_and(is_known) {
            return;
        }
        let closed = before.into_iter().flat_map(|before| &before.entities).filter(|(entity, _)| digests.of.contains_key(*entity));
        let mut entities: BTreeMap<String, Indexed> = closed.map(|(entity, one)| (entity.clone(), one.clone())).collect();
        entities.extend(opened);
        Index { origin, entities }.write(root);
    }

    /// Keeps what is known of some of its entities, where other things are around them now.
    pub fn keep_of(&self, root: &Path, around: String, wanted: impl Fn(&str) -> bool) {
        let wanted = self.entities.iter().filter(|(entity, _)| wanted(entity));
        let entities = wanted.map(|(entity, one)| (entity.clone(), one.clone())).collect();
        Index { origin: Origin { around, ..self.origin.clone() }, entities }.write(root);
    }

    /// The digest of what every file depends on.
    pub fn around(&self) -> &str {
        &self.origin.around
    }

    /// Nothing depends on it: what can't be written isn't.
    pub fn write(&self, root: &Path) {
        let lines: Vec<_> = self.entities.par_iter().map(|one| serde_json::to_string(&one)).collect();
        let lines = std::iter::once(serde_json::to_string(&self.origin)).chain(lines);
        if let Ok(lines) = lines.collect::<Result<Vec<_>, _>>() {
            let rest = lines.join("\n");
            let text = format!("{}\n{rest}", digest(&rest));
            let _ = folder::put_aside(root, FOLDER, &[(".gitignore", "*\n"), (FILE, &text)]);
        }
    }
}
