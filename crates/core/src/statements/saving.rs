//! What a form of a running application writes: the statements of its page, of the fields that are given and that the role may change.

use super::along::{self, Along};
use super::builder::Builder;
use super::dialect::as_text;
use super::need::Why;
use super::statement::Gives;
use super::writes::Values;
use super::{Made, Purpose, Statement, related, writes};
use crate::definition::{Access, Entity, Field, Model, Page};
use crate::schema::{Engine, Operation, Schema, TableKind};
use crate::sql;

/// What a form writes.
#[derive(Clone, Copy)]
pub struct Saving<'a>(Builder<'a>);

impl<'a> Saving<'a> {
    /// Of a page, for a role; for everybody where there are no roles.
    pub fn of_page(model: &'a Model, entity: &'a Entity, page: &'a Page, user: Option<&'a Access>, known: &'a Schema) -> Saving<'a> {
        Saving(Builder::of_page(model, entity, page, user, known))
    }

    /// Of an entity, whatever stands on its pages: what an import writes.
    pub fn of_entity(model: &'a Model, entity: &'a Entity, user: Option<&'a Access>, known: &'a Schema) -> Saving<'a> {
        Saving(Builder::of_entity(model, entity, user, known))
    }

    /// The fields that the form may change: those that are stored, and that nobody keeps from the role.
    pub fn fields(&self) -> Vec<&'a Field> {
        let access = self.0.user;
        let shown: Vec<&'a Field> = match self.0.page() {
            Some(_) => self.0.visible(self.0.shown()).map(|(field, _)| field).collect(),
            None => self.0.entity.fields.iter().filter(|f| !f.hidden && !access.is_some_and(|access| access.hides(&f.name))).collect(),
        };
        shown
            .into_iter()
            .filter(|field| self.may_change(field))
            .filter(|field| field.is_stored() && !self.columns(field).is_empty())
            .collect()
    }

    /// The related sets that the form may change.
    pub fn related(&self) -> Vec<&'a Field> {
        let shown = self.0.visible(self.0.shown()).map(|(field, _)| field);
        shown.filter(|field| field.related.is_some() && self.may_change(field)).collect()
    }

    /// Whether neither the definition nor the role keeps a field from being changed.
    fn may_change(&self, field: &Field) -> bool {
        let for_role = self.0.user.is_some_and(|access| access.read_only.iter().any(|f| f.value == field.name));
        !(field.read_only || for_role)
    }

    /// The columns of a field that are the table's own.
    pub fn columns(&self, field: &'a Field) -> Vec<String> {
        self.0.own_columns(field, &field.place).map(|set| set.column).collect()
    }

    /// A new record of these columns, by `:value_1`…, of which some have a value; and what tells its key.
    pub fn insert(&self, columns: &[String], given: &[String]) -> (Statement, Made) {
        let entity = self.0.entity;
        let key: Vec<&str> = entity.key.iter().map(|key| key.value.as_str()).collect();
        // SQL of a person's own may make a record of what is given to it in any way.
        if entity.source.insert.is_some() {
            return (writes::insert(&self.0), Made::Unknown);
        }
        let engine = self.0.engine();
        let made = Made::of(&key, given, self.0.known.table(&entity.table.value), engine);
        let sql = self.0.insert_sql(columns, Values::Texts) + &made.tail(&key, engine);
        (Statement { sql, ..writes::insert(&self.0) }, made)
    }

    /// Whether something has to be proved of a new record: a validation, or that it is the role's own. What SQL of a person's own makes
    /// is that person's to answer for.
    pub fn has_to_be_proved(&self) -> bool {
        let entity = self.0.entity;
        if entity.source.insert.is_some() {
            return false;
        }
        let is_checked =
            entity.checks.iter().any(|check| check.rule.is_some()) || entity.fields.iter().any(|field| self.alike(field).is_some());
        is_checked || self.0.user.is_some_and(|access| access.rows.is_some())
    }

    /// How many records have what the record of `:key_1`… has in a field that only one may have, as text; nothing for other fields, and
    /// where the database keeps them apart itself.
    pub fn alike(&self, field: &'a Field) -> Option<String> {
        let entity = self.0.entity;
        let columns: Vec<String> = self.columns(field);
        let is_kept_apart = self.0.known.table(&entity.table.value).is_some_and(|table| table.is_unique(&columns));
        if !field.unique || columns.is_empty() || is_kept_apart {
            return None;
        }
        let mut select = self.0.over(entity, Why::Entity, &entity.table.place);
        for column in &columns {
            let own = select.own(column, Why::Entity, &field.place);
            select.filters.push(format!("{own} = {}", self.0.column_of_record(entity, column, "key")));
        }
        Some(select.sql(&[as_text("count(*)", self.0.engine())], ""))
    }

    /// A record with other values in these columns, by `:value_1`…, `:key_1`… and the version that was read; nothing where there is
    /// nothing to change.
    pub fn update(&self, columns: &[String]) -> Option<Statement> {
        if self.0.entity.source.update.is_some() {
            return writes::update(&self.0);
        }
        let whole = writes::update(&self.0).unwrap_or_else(|| self.0.statement(Purpose::Update, String::new(), Vec::new()));
        (!columns.is_empty()).then(|| Statement { sql: self.0.update_sql(columns, true, Values::Texts), ..whole })
    }

    /// The same whatever its version is: an import never read it.
    pub fn overwrite(&self, columns: &[String]) -> Option<Statement> {
        let statement = self.update(columns)?;
        let own = self.0.entity.source.update.is_some();
        Some(if own { statement } else { Statement { sql: self.0.update_sql(columns, false, Values::Texts), ..statement } })
    }

    /// Reads what a record has in the fields that a person's own statement names, by `:key_1`…: a form gives it what was
    /// changed, and the rest is as it is. Nothing where the generator's statement writes, or none is named.
    pub fn named_values(&self, operation: Operation) -> Option<Statement> {
        let entity = self.0.entity;
        let write = entity.source.own_write(operation).filter(|_| operation != Operation::Insert)?;
        let named: Vec<String> = match &write.sql {
            Some(sql) => sql::parameters(&sql.value, self.0.engine()).into_iter().map(|(_, name)| name).collect(),
            None => write.arguments.iter().map(|(_, field)| field.value.clone()).collect(),
        };
        let is_read = |field: &&Field| named.contains(&field.name) && field.is_stored() && !field.hidden;
        let mut select = self.0.over(entity, Why::Entity, &entity.table.place);
        select.texts = true;
        for field in entity.fields.iter().filter(is_read) {
            for column in field.columns.iter().take(1) {
                let own = select.own(&column.value, Why::Entity, &column.place);
                select.give(Gives::Value(field.name.clone()), own);
            }
        }
        if select.columns.is_empty() {
            return None;
        }
        for (at, key) in entity.key.iter().enumerate() {
            let column = select.own(&key.value, Why::Key, &key.place);
            select.filters.push(format!("{column} = :key_{}", at + 1));
        }
        Some(self.0.reading(Purpose::Record, select, ""))
    }

    /// Whether the engine counts the records that a write concerns: a routine may do anything, and one engine counts nothing
    /// that the triggers of a view do.
    pub fn is_counted(&self, operation: Operation) -> bool {
        let (entity, known) = (self.0.entity, self.0.known);
        let table = match entity.source.own_write(operation) {
            None => Some(entity.table.value.clone()),
            Some(write) => write.sql.as_ref().and_then(|sql| {
                let scope = sql::Scope::Statement { table: &entity.table.value };
                sql::analyse(&sql.value, scope, known).writes.map(|(table, ..)| table)
            }),
        };
        let is_view = |table: &String| known.table(table).is_none_or(|table| table.kind == TableKind::View);
        table.is_some_and(|table| known.engine != Engine::Sqlite || !is_view(&table))
    }

    /// A record taken out, by `:key_1`…
    pub fn delete(&self) -> Statement {
        writes::delete(&self.0)
    }

    /// Whether the record of a key is one that the role sees: a count, as text.
    pub fn is_seen(&self) -> String {
        // What a page shows besides is no matter of rights: a record may well leave a list by what is saved.
        let entity = self.0.entity;
        let mut select = self.0.over(entity, Why::Entity, &entity.table.place);
        select.rows_of(self.0.user);
        for (at, key) in entity.key.iter().enumerate() {
            let column = select.own(&key.value, Why::Key, &key.place);
            select.filters.push(format!("{column} = :key_{}", at + 1));
        }
        select.sql(&[as_text("count(*)", self.0.engine())], "")
    }

    /// For each validation its name, and a count of the records of the key that go against it, as text.
    pub fn checks(&self) -> Vec<(&'a str, String)> {
        let mut all = Vec::new();
        writes::checks(&self.0, &mut all);
        let names = self.0.entity.checks.iter().filter(|check| check.rule.is_some()).map(|check| check.name.as_str());
        let text = |statement: &Statement| statement.sql.replacen("count(*)", &as_text("count(*)", self.0.engine()), 1);
        names.zip(all.iter().map(text)).collect()
    }

    /// A link made or taken away, by `:key_1`… of the record and `:value_1`… of the other.
    pub fn link(&self, field: &'a Field, is_made: bool) -> Option<Statement> {
        let operation = if is_made { Operation::Insert } else { Operation::Delete };
        Some(related::write(&self.0, field, field.related.as_ref()?, operation))
    }

    /// The records of other tables that a deletion concerns, by the foreign keys to the record's key.
    pub fn along(&self) -> Vec<Along<'a>> {
        along::of(&self.0)
    }
}
