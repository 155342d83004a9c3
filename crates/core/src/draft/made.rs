//! What two drafts of one run have in common: fields that are made from the same are made once.

use super::context::Drafted;
use super::fields::FieldDraft;
use super::given::Names;
use super::references::Reference;
use crate::name;
use crate::schema::{ForeignKey, Schema, Table};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::sync::Arc;

/// The fields of a draft, with what they were made from. It means something to drafts by the same conventions and names in use alone.
#[derive(Debug, Clone, Default)]
pub struct Made {
    schema: Schema,
    /// By table, as names compare.
    of: BTreeMap<String, OfTable>,
}

#[derive(Debug, Clone)]
struct OfTable {
    entity: String,
    left_out: Vec<String>,
    references: Lookups,
    /// None where there are related sets, which hang on more.
    fields: Option<Arc<[Arc<FieldDraft>]>>,
}

/// The references of a table that became lookups.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Lookups {
    /// Foreign keys, by their places among those of the table.
    declared: Vec<usize>,
    guessed: Vec<ForeignKey>,
}

impl Lookups {
    pub fn of(table: &Table, references: &[Reference<'_>]) -> Lookups {
        let mut lookups = Lookups::default();
        for reference in references {
            match &reference.key {
                Cow::Borrowed(key) => lookups.declared.extend(table.foreign_keys.iter().position(|own| std::ptr::eq(own, *key))),
                Cow::Owned(key) => lookups.guessed.push(key.clone()),
            }
        }
        lookups
    }
}

impl Made {
    /// What was drafted.
    pub(super) fn of<'d>(names: &Names<'_>, drafted: impl Iterator<Item = (&'d Drafted<'d>, Lookups)>) -> Made {
        let of = |(drafted, references): (&Drafted<'_>, Lookups)| {
            let (entity, left_out) = (drafted.entity.clone(), names.in_use.left_out_of(&drafted.entity).to_vec());
            let is_plain = !drafted.fields.iter().any(|field| field.is_related());
            let fields = is_plain.then(|| Arc::clone(&drafted.fields));
            (name::fold(&drafted.table.name), OfTable { entity, left_out, references, fields })
        };
        Made { schema: names.schema.clone(), of: drafted.map(of).collect() }
    }

    /// Whether what is declared once for all tables is the same.
    pub(super) fn is_beside(&self, schema: &Schema) -> bool {
        self.schema.engine == schema.engine && self.schema.objects == schema.objects
    }

    /// The fields of a table without related sets, where they would be the same.
    pub(super) fn fields(
        &self,
        names: &Names<'_>,
        table: &Table,
        entity: &str,
        references: &[Reference<'_>],
    ) -> Option<&Arc<[Arc<FieldDraft>]>> {
        let known = self.of.get(&name::fold(&table.name))?;
        let is_same = known.entity == entity
            && known.left_out == names.in_use.left_out_of(entity)
            && known.references == Lookups::of(table, references)
            && self.schema.table(&table.name).is_some_and(|before| before.is(table));
        let same_target = |key: &ForeignKey| {
            let entity_before = self.of.get(&name::fold(&key.table)).map(|known| known.entity.as_str());
            entity_before.is_some()
                && entity_before == names.in_use.entity(&key.table)
                && is_same_table(self.schema.table(&key.table), names.schema.table(&key.table))
        };
        known.fields.as_ref().filter(|_| is_same && references.iter().all(|reference| same_target(&reference.key)))
    }
}

fn is_same_table(before: Option<&Table>, now: Option<&Table>) -> bool {
    match (before, now) {
        (Some(before), Some(now)) => before.is(now),
        (before, now) => before.is_none() && now.is_none(),
    }
}
