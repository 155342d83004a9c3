//! A column of a record that is known by its key.
//!
//! References mostly hold the key of the record they point at, but a lookup's `value` may name any columns that tell records
//! apart. What such a reference is compared with has to be read from the record: `:key_1` would be another record's value.

use super::builder::Builder;
use super::need::{Need, Read, Use, Why};
use super::relation::Relation;
use crate::definition::{Entity, Place};
use crate::name::{quoted_for as quoted, same};

/// The alias of the record whose column is read.
const ALIAS: &str = "o";

/// The parameter that holds a column of the key, such as `:key_1`; nothing for another column.
fn key_parameter(entity: &Entity, column: &str, parameter: &str) -> Option<String> {
    let at = entity.key.iter().position(|key| same(&key.value, column))?;
    Some(format!(":{parameter}_{}", at + 1))
}

impl Builder<'_> {
    /// The value of a column of the record whose key is given as `:PARAMETER_1`…, as SQL.
    pub(super) fn column_of_record(&self, entity: &Entity, column: &str, parameter: &str) -> String {
        let engine = self.engine();
        if let Some(parameter) = key_parameter(entity, column, parameter) {
            return parameter;
        }
        let qualified = |column: &str| format!("{}.{}", quoted(ALIAS, engine), quoted(column, engine));
        let keys = entity.key.iter().enumerate().map(|(at, key)| format!("{} = :{parameter}_{}", qualified(&key.value), at + 1));
        let keys: Vec<String> = keys.collect();
        let from = Relation::of(entity).sql(ALIAS, engine);
        format!("(SELECT {} FROM {from} WHERE {})", qualified(column), keys.join(" AND "))
    }

    /// What it needs that a column of the record is compared with `this`; nothing where the key's parameter is.
    pub(super) fn needs_of_record_column(&self, entity: &Entity, column: &str, this: Read, why: &Why, place: &Place) -> Vec<Use> {
        if entity.key.iter().any(|key| same(&key.value, column)) {
            return Vec::new();
        }
        let with = Read::of(entity, column);
        let read = Need::Column { table: with.table.clone(), select: with.select.clone(), column: with.column.clone() };
        let needs = [read, Need::Compared { this, with }];
        needs.into_iter().map(|need| Use { need, why: why.clone(), place: place.clone() }).collect()
    }
}
