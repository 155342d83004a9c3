//! A statement, and who a page asks it for.

use super::need::Use;
use super::purpose::Purpose;
use crate::definition::{Access, Entity, Model};

/// One statement of a page, import or export.
#[derive(Debug, Clone, PartialEq)]
pub struct Statement {
    /// What it is for.
    pub purpose: Purpose,
    /// The role it is made for; absent for writes, and where there are no roles.
    pub role: Option<String>,
    /// The statement, in the engine's dialect, with named parameters.
    pub sql: String,
    /// What it needs of the database.
    pub uses: Vec<Use>,
    /// What each column gives; told only of what is read as texts.
    pub gives: Vec<Gives>,
}

/// What a column of a statement gives, where all are read as texts.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Gives {
    /// A column of the record's key.
    Key,
    /// A column of the record that a linked one belongs to.
    Owner,
    /// What tells whether it was changed meanwhile.
    Version,
    /// How the record is called.
    Title,
    /// A column of a field.
    Value(String),
    /// What people read of a field that points elsewhere.
    Text(String),
    /// How many there are.
    Count,
    /// The total of a field.
    Total(String),
}

/// Who uses a page: everybody where there are no roles, else each role that may.
pub fn users<'a>(model: &'a Model, entity: &'a Entity, may: &dyn Fn(&Access) -> bool) -> Vec<Option<&'a Access>> {
    if model.app.roles.is_empty() {
        return vec![None];
    }
    entity.access.iter().filter(|a| model.app.roles.contains_key(&a.role) && may(a)).map(Some).collect()
}
