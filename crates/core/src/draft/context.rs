//! Every entity with its fields: what titles and pages are drafted from.

use super::fields::FieldDraft;
use super::given::Names;
use crate::name;
use crate::schema::Table;
use std::collections::BTreeMap;
use std::sync::Arc;

/// How a record is called, and why.
#[derive(Debug, Clone, Default)]
pub(super) struct Title {
    /// `{field}` and text between.
    pub template: String,
    /// Why it was chosen.
    pub why: &'static str,
    /// Whether people read more from it than from a key.
    pub is_readable: bool,
    /// Whether it may say little.
    pub is_doubtful: bool,
    /// The convention that changes it; none where a view's query says it.
    pub convention: Option<&'static str>,
}

/// An entity with its fields, before its pages are drafted.
pub(super) struct Drafted<'a> {
    pub entity: String,
    pub table: &'a Table,
    pub fields: Arc<[Arc<FieldDraft>]>,
    /// The columns that tell its records apart, and whether that is sure.
    pub key: Vec<String>,
    pub key_is_sure: bool,
    pub title: Title,
}

/// What drafting titles and pages looks at: all fields of all entities are known.
pub(super) struct Context<'a> {
    pub names: &'a Names<'a>,
    pub open_to: Option<&'a str>,
    /// By table, as names compare.
    pub entities: BTreeMap<String, Drafted<'a>>,
    /// By entity: its table's key in `entities`.
    pub tables: BTreeMap<String, String>,
    /// By entity: the entities and lookups that point at it.
    pub pointing: BTreeMap<String, Vec<(String, String)>>,
}

impl<'a> Context<'a> {
    pub fn by_entity(&self, entity: &str) -> Option<&Drafted<'a>> {
        self.entities.get(self.tables.get(entity)?)
    }

    pub fn fields_of(&self, table: &str) -> &[Arc<FieldDraft>] {
        self.entities.get(&name::fold(table)).map_or(&[], |d| &d.fields)
    }

    /// The entities and lookups that point at an entity.
    pub fn pointing_at(&self, entity: &str) -> impl Iterator<Item = (&str, &str)> {
        self.pointing.get(entity).into_iter().flatten().map(|(entity, by)| (entity.as_str(), by.as_str()))
    }
}
