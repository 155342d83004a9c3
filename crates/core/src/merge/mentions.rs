//! What names what in a definition with everything that is hidden: found once for a merge, and asked from many sides.

use crate::definition::{EntityIndex, Reference, Referent, Tree, references};
use crate::schema::Schema;
use rayon::prelude::*;

/// Every name of a definition, by what it refers to.
#[derive(Default)]
pub(super) struct Mentions {
    pub index: EntityIndex,
    /// Sorted by what they refer to; names of one thing as they stand in the files.
    references: Vec<Reference>,
}

impl Mentions {
    /// Those of a definition, on a schema with everything that it may name.
    pub fn of(tree: &Tree, schema: &Schema) -> Mentions {
        let index = EntityIndex::of(tree);
        let mut references = references(tree, &index, schema);
        references.par_sort_by(|a, b| a.to.cmp(&b.to));
        Mentions { index, references }
    }

    /// The names of one thing.
    pub fn of_referent(&self, to: &Referent) -> &[Reference] {
        self.between(|other| other < to, |other| other <= to)
    }

    /// Each thing that is named, with its names.
    pub fn by_referent(&self) -> impl Iterator<Item = (&Referent, &[Reference])> {
        self.references.chunk_by(|a, b| a.to == b.to).filter_map(|all| Some((&all.first()?.to, all)))
    }

    /// The fields and pages of an entity that are named.
    pub fn inside(&self, entity: &str) -> impl Iterator<Item = &Referent> {
        let field = |field: &str| Referent::Field { entity: entity.to_owned(), field: field.to_owned() };
        let page = |page: &str| Referent::Page { entity: entity.to_owned(), page: page.to_owned() };
        let is_of = |to: &Referent| matches!(to, Referent::Field { entity: e, .. } | Referent::Page { entity: e, .. } if e == entity);
        let from = |least: Referent| {
            let behind = self.between(|other| *other < least, |_| true);
            behind.get(..behind.partition_point(|reference| is_of(&reference.to))).unwrap_or_default()
        };
        let all = [from(field("")), from(page(""))];
        all.into_iter().flat_map(|of| of.chunk_by(|a, b| a.to == b.to)).filter_map(|all| Some(&all.first()?.to))
    }

    fn between(&self, is_before: impl Fn(&Referent) -> bool, is_within: impl Fn(&Referent) -> bool) -> &[Reference] {
        let start = self.references.partition_point(|reference| is_before(&reference.to));
        let behind = self.references.get(start..).unwrap_or_default();
        behind.get(..behind.partition_point(|reference| is_within(&reference.to))).unwrap_or_default()
    }
}
