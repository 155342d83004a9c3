//! What stands in FROM for an entity: its table, the query that stands in for it, formulas, conditions.

use crate::definition::{Entity, Field};
use crate::name::{quoted_for as quoted, same};
use crate::schema::Engine;

/// An entity in FROM.
#[derive(Debug, Clone)]
pub(super) struct Relation<'a> {
    pub entity: &'a Entity,
    /// Conditions over the table's own columns, applied before anything is joined.
    pub conditions: Vec<String>,
    /// Formula fields that are read.
    pub formulas: Vec<&'a Field>,
    /// The names under which SQLite's row number is read.
    pub rowids: Vec<String>,
}

impl<'a> Relation<'a> {
    pub fn of(entity: &'a Entity) -> Relation<'a> {
        Relation { entity, conditions: Vec::new(), formulas: Vec::new(), rowids: Vec::new() }
    }

    /// Notes that a column is read: a star doesn't give the row number.
    pub fn reads(&mut self, column: &str) {
        let is_row_number = ["rowid", "oid", "_rowid_"].iter().any(|n| same(n, column));
        if is_row_number && !self.rowids.iter().any(|known| same(known, column)) {
            self.rowids.push(column.to_owned());
        }
    }

    /// The column that a formula's value has.
    pub fn formula(&mut self, field: &'a Field) -> String {
        if !self.formulas.iter().any(|f| f.name == field.name) {
            self.formulas.push(field);
        }
        format!("formula_{}", field.name)
    }

    /// As SQL, under an alias.
    pub fn sql(&self, alias: &str, engine: Engine) -> String {
        let alias = quoted(alias, engine);
        // The line breaks end a comment that a person's SQL may end with.
        let base = match &self.entity.source.select {
            Some(select) => format!("({}\n)", select.value.trim_end().trim_end_matches(';')),
            None => quoted(&self.entity.table.value, engine),
        };
        if self.conditions.is_empty() && self.formulas.is_empty() {
            return format!("{base} AS {alias}");
        }
        // Conditions and formulas may name the table, whose place a query takes.
        let base = match &self.entity.source.select {
            Some(_) => format!("{base} AS {}", quoted(crate::name::split_qualified(&self.entity.table.value).1, engine)),
            None => base,
        };
        // Under its own name: SQLite would call it after the key that stands for it.
        let rowids = self.rowids.iter().filter(|_| self.entity.source.select.is_none());
        let rowids: String = rowids.map(|name| format!("{name} AS {}, ", quoted(name, engine))).collect();
        let mut sql = format!("(SELECT {rowids}*");
        for field in &self.formulas {
            let text = field.formula.as_ref().map_or("NULL", |f| &f.value);
            sql.push_str(&format!(", ({text}\n) AS {}", quoted(&format!("formula_{}", field.name), engine)));
        }
        sql.push_str(&format!(" FROM {base}"));
        if !self.conditions.is_empty() {
            sql.push_str(&format!(" WHERE {}", self.conditions.join(" AND ")));
        }
        format!("{sql}) AS {alias}")
    }
}
