//! What a running import asks: which record a line is about, and what a text stands for. It is written as a form is.

use super::builder::Builder;
use super::{Made, Statement, exchange};
use crate::definition::{Access, Entity, Field, Import, Model};
use crate::schema::Schema;

/// A new record of what a lookup points at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Creating {
    /// Inserts it, by `:value_1`…
    pub sql: String,
    /// What tells the lookup's value.
    pub made: Made,
}

/// What an import asks, for a role; for everybody where there are no roles. All of it is read as texts.
#[derive(Clone, Copy)]
pub struct Importing<'a> {
    builder: Builder<'a>,
    import: &'a Import,
}

impl<'a> Importing<'a> {
    /// Of an import of an entity.
    pub fn of_entity(
        model: &'a Model,
        entity: &'a Entity,
        import: &'a Import,
        user: Option<&'a Access>,
        known: &'a Schema,
    ) -> Importing<'a> {
        Importing { builder: Builder { texts: true, ..Builder::of_entity(model, entity, user, known) }, import }
    }

    /// The key of the record that a line is about, by `:value_1`… of the import's key; nothing where it has none: then every line is new.
    pub fn matching(&self) -> Option<Statement> {
        (!self.import.key.is_empty()).then(|| exchange::matching(&self.builder, self.import))
    }

    /// The value of a lookup whose record is shown as `:text`.
    pub fn finding(&self, field: &'a Field) -> Option<Statement> {
        exchange::finding(&self.builder, self.import, field, &field.place)
    }

    /// A new record of a lookup's target; nothing where the import makes none, or nothing tells the lookup's value then.
    pub fn creating(&self, field: &'a Field) -> Option<Creating> {
        let engine = self.builder.engine();
        if !self.import.create_missing.iter().any(|name| name.value == field.name) {
            return None;
        }
        let lookup = field.lookup.as_ref()?;
        let target = self.builder.model.entities.get(&lookup.entity.value)?;
        // Whoever may not add one there doesn't by an import either.
        if !self.builder.user.is_none_or(|user| target.access_of(&user.role).is_some_and(|access| access.add)) {
            return None;
        }
        let (statement, given) = exchange::creating(&self.builder, self.import, field, &field.place)?;
        let value = target.referenced(&lookup.value);
        let value: Vec<&str> = value.iter().map(|column| column.value.as_str()).collect();
        let made = Made::of(&value, &given, self.builder.known.table(&target.table.value), engine);
        let sql = statement.sql + &made.tail(&value, engine);
        // A text stands for one value.
        let is_told = match made {
            Made::Returned => true,
            Made::Numbered(_) | Made::Given => value.len() == 1,
            Made::Unknown => false,
        };
        is_told.then_some(Creating { sql, made })
    }
}
