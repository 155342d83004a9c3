//! Changes with the elements that they concern.

use crate::changes::Change;
use crate::definition::{Entity, Field};
use crate::draft::Declared;
use crate::schema::{Column, Table};

/// A change of a column, met by a field that holds it.
#[derive(Debug, Clone, Copy)]
pub struct MetField<'a> {
    /// Index of the change.
    pub at: usize,
    /// The change.
    pub change: &'a Change,
    /// The entity.
    pub entity: &'a Entity,
    /// The field.
    pub field: &'a Field,
    /// The column as accepted.
    pub before: &'a Column,
    /// The column now, under the name it is presumed to have.
    pub after: &'a Column,
}

/// A change of a table, met by an entity over it.
#[derive(Debug, Clone, Copy)]
pub struct MetEntity<'a> {
    /// Index of the change.
    pub at: usize,
    /// The change.
    pub change: &'a Change,
    /// The entity.
    pub entity: &'a Entity,
    /// The table as accepted.
    pub before: &'a Table,
    /// The table now, under the name it is presumed to have.
    pub after: &'a Table,
}

/// What the database declares of a field's column, before and now.
#[derive(Debug, Clone)]
pub struct MetLimits<'a> {
    /// The change, column and field.
    pub met: MetField<'a>,
    /// As accepted.
    pub before: Declared,
    /// Now.
    pub after: Declared,
}
