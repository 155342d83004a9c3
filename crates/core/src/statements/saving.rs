//! What a form of a running application writes: the statements of its page, of the fields that are given and that the role may change.

use super::builder::Builder;
use super::dialect::as_text;
use super::need::Why;
use super::writes::Values;
use super::{Purpose, Statement, related, writes};
use crate::definition::{Access, Entity, Field, Model, Page};
use crate::name::{quoted_for as quoted, same};
use crate::schema::{Engine, ForeignKey, Operation, Schema};

/// What a form writes.
#[derive(Clone, Copy)]
pub struct Saving<'a>(Builder<'a>);

/// Records of another table that a deletion concerns.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Along<'a> {
    /// The table.
    pub table: &'a str,
    /// What the database does with them.
    pub fate: Fate,
    /// Counts them, by `:key_1`…, as text.
    pub count: String,
}

/// What becomes of records that point at one that is deleted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fate {
    /// They go with it.
    Go,
    /// They point at nothing any more.
    Loosened,
    /// As long as they are there it can't be deleted.
    Hinder,
}

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

    /// A new record of these columns, by `:value_1`…; where the engine can, it gives back its key, as texts.
    pub fn insert(&self, columns: &[String]) -> Statement {
        if self.0.entity.source.insert.is_some() {
            return writes::insert(&self.0);
        }
        let engine = self.0.engine();
        let mut sql = self.0.insert_sql(columns, Values::Texts);
        let keys: Vec<String> = self.0.entity.key.iter().map(|key| as_text(&quoted(&key.value, engine), engine)).collect();
        if engine != Engine::Mysql && !keys.is_empty() {
            sql.push_str(&format!(" RETURNING {}", keys.join(", ")));
        }
        Statement { sql, ..writes::insert(&self.0) }
    }

    /// Whether an insertion gives back the key.
    pub fn gives_key(&self) -> bool {
        self.0.entity.source.insert.is_none() && self.0.engine() != Engine::Mysql && !self.0.entity.key.is_empty()
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
        let (known, engine) = (self.0.known, self.0.engine());
        let entity = self.0.entity;
        let Some(target) = known.table(&entity.table.value) else { return Vec::new() };
        let mut all = Vec::new();
        for table in &known.tables {
            for key in table.foreign_keys.iter().filter(|key| same(&key.table, &target.name)) {
                // What points at other columns can't be counted by the key.
                let parameter = |to: &String| entity.key.iter().position(|own| same(&own.value, to)).map(|at| format!(":key_{}", at + 1));
                let parts: Option<Vec<String>> = key
                    .columns
                    .iter()
                    .zip(key.target_columns(target))
                    .map(|(column, to)| Some(format!("{} = {}", quoted(column, engine), parameter(to)?)))
                    .collect();
                let Some(parts) = parts.filter(|parts| !parts.is_empty()) else { continue };
                let count =
                    format!("SELECT {} FROM {} WHERE {}", as_text("count(*)", engine), quoted(&table.name, engine), parts.join(" AND "));
                all.push(Along { table: &table.name, fate: fate(key), count });
            }
        }
        all
    }
}

fn fate(key: &ForeignKey) -> Fate {
    match key.on_delete.as_deref().map(str::to_ascii_uppercase).as_deref() {
        Some("CASCADE") => Fate::Go,
        Some("SET NULL" | "SET DEFAULT") => Fate::Loosened,
        _ => Fate::Hinder,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_deletion_does_is_what_the_key_says() {
        for (rule, wanted) in [
            (Some("CASCADE"), Fate::Go),
            (Some("set null"), Fate::Loosened),
            (Some("SET DEFAULT"), Fate::Loosened),
            (Some("RESTRICT"), Fate::Hinder),
            (None, Fate::Hinder),
        ] {
            let key = ForeignKey { on_delete: rule.map(str::to_owned), ..ForeignKey::default() };
            assert_eq!(fate(&key), wanted, "{rule:?}");
        }
    }
}
