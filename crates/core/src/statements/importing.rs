//! What a running import asks: which record a line is about, and what a text stands for. It is written as a form is.

use super::builder::Builder;
use super::dialect::as_text;
use super::{Statement, exchange};
use crate::definition::{Access, Entity, Field, Import, Model};
use crate::name::quoted_for as quoted;
use crate::schema::{Engine, Schema};

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

    /// A new record of a lookup's target, by `:value_1`…, that gives back the lookup's value; nothing where the import makes none, or the
    /// engine gives nothing back.
    pub fn creating(&self, field: &'a Field) -> Option<Statement> {
        let engine = self.builder.engine();
        if engine == Engine::Mysql || !self.import.create_missing.iter().any(|name| name.value == field.name) {
            return None;
        }
        let lookup = field.lookup.as_ref()?;
        let target = self.builder.model.entities.get(&lookup.entity.value)?;
        // Whoever may not add one there doesn't by an import either.
        if !self.builder.user.is_none_or(|user| target.access_of(&user.role).is_some_and(|access| access.add)) {
            return None;
        }
        let statement = exchange::creating(&self.builder, self.import, field, &field.place)?;
        let value = if lookup.value.is_empty() { &target.key } else { &lookup.value };
        let value: Vec<String> = value.iter().map(|column| as_text(&quoted(&column.value, engine), engine)).collect();
        Some(Statement { sql: format!("{} RETURNING {}", statement.sql, value.join(", ")), ..statement })
    }
}
