//! Entities that stand in a definition and weren't opened, because nothing that is asked about reaches them: what others say of
//! them can still be looked up.

use super::known::KnownEntity;
use crate::rename::RenameMap;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// What is known of an entity that wasn't opened.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Sleeper {
    /// What others may name of it.
    pub known: Arc<KnownEntity>,
    /// Its pages.
    pub pages: Vec<String>,
    /// The columns that it leaves out, as they are written.
    pub left_out: Vec<String>,
    /// Whether a person made it.
    pub is_own: bool,
    /// Whether a merge put it in and nobody touched it.
    pub is_added: bool,
    /// The entities whose records its pages list.
    pub lists: BTreeSet<String>,
    /// The entities whose titles its own title shows.
    pub called_by: BTreeSet<String>,
    /// Whether its lookups show something else than the titles there.
    pub shows_others: bool,
    /// The folded words of its SQL; nothing where a text can't be taken apart: it may say anything.
    pub words: Option<BTreeSet<String>>,
}

impl Sleeper {
    /// The entities that its lookups and related sets point at.
    pub fn points_at(&self) -> impl Iterator<Item = &str> {
        self.known.fields.values().filter_map(|field| field.target.as_deref())
    }
}

/// Entities that weren't opened, by name; a copy shares them.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Asleep(Arc<BTreeMap<String, Arc<Sleeper>>>);

impl Asleep {
    /// These.
    pub fn new(entities: BTreeMap<String, Arc<Sleeper>>) -> Asleep {
        Asleep(Arc::new(entities))
    }

    /// What is known of one.
    pub fn get(&self, entity: &str) -> Option<&Sleeper> {
        self.0.get(entity).map(|sleeper| &**sleeper)
    }

    /// Whether an entity is one of them.
    pub fn contains(&self, entity: &str) -> bool {
        self.0.contains_key(entity)
    }

    /// Whether all entities are open.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The same over tables under other names.
    #[must_use]
    pub fn renamed(&self, map: &RenameMap) -> Asleep {
        let mut entities = BTreeMap::clone(&self.0);
        for sleeper in entities.values_mut() {
            let mut known = Arc::clone(&sleeper.known);
            KnownEntity::rename(&mut known, map);
            if !Arc::ptr_eq(&known, &sleeper.known) {
                Arc::make_mut(sleeper).known = known;
            }
        }
        Asleep::new(entities)
    }

    /// All of them.
    pub fn iter(&self) -> impl Iterator<Item = (&str, &Sleeper)> {
        self.0.iter().map(|(entity, sleeper)| (entity.as_str(), &**sleeper))
    }
}
