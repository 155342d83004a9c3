//! Needs that an engine refuses for the types of the columns: only one that tells types does.

use super::{Context, What};
use crate::changes::ChangeKind;
use crate::schema::{Column, ColumnType};
use crate::sql::{self, Analysis, Scope};
use crate::statements::Read;

impl<'a> Context<'a> {
    /// The column that is read, on an engine that tells types: through a query, where it gives a column as it is.
    pub(super) fn type_of(&self, read: &Read) -> Option<&'a Column> {
        let changed = self.input.changed;
        if !changed.engine.tells_types() {
            return None;
        }
        match &read.select {
            None => changed.table(&read.table).filter(|t| t.broken.is_none())?.column(&read.column),
            Some(select) => {
                let results = self.results.get(select.as_str())?.as_ref()?;
                let (table, column) = results.iter().find(|r| crate::name::same(&r.name, &read.column))?.from.as_ref()?;
                changed.column(table, column)
            }
        }
    }

    /// A column of a type that the engine refuses; `why` says what for, where it does.
    pub(super) fn refused(&self, read: &Read, why: impl Fn(&ColumnType) -> Option<String>) -> Vec<What> {
        let operation = self.type_of(read).and_then(|known| why(&known.column_type));
        let wrong =
            |operation| What::WrongType { table: read.table.clone(), column: read.column.clone(), with: None, offset: 0, operation };
        operation.map(wrong).into_iter().collect()
    }

    /// Two columns that can't be compared.
    pub(super) fn incomparable(&self, this: &Read, with: &Read) -> Option<What> {
        let (a, b) = (&self.type_of(this)?.column_type, &self.type_of(with)?.column_type);
        (!a.compares_with(b)).then(|| What::WrongType {
            table: this.table.clone(),
            column: this.column.clone(),
            with: Some((with.table.clone(), with.column.clone())),
            offset: 0,
            operation: format!("{} = {}", a.shown(), b.shown()),
        })
    }

    /// What a text compares or calculates and the engine refuses; `whole` where it has to be a condition.
    pub(super) fn mistyped(&self, text: &str, scope: Scope<'_>, analysis: &Analysis, whole: bool) -> Option<What> {
        let changed = self.input.changed;
        let found = sql::mistyped(text, scope, changed, analysis);
        let found = found.or_else(|| whole.then(|| sql::no_condition(text, changed, analysis)).flatten())?;
        let sql::Mistyped { table, column, offset, operation } = found;
        Some(What::WrongType { table, column, with: None, offset, operation })
    }

    /// The change that gave a column its type.
    pub fn cause_of_type(&self, table: &str, column: &str) -> Option<usize> {
        self.cause(table, Some(column), &[ChangeKind::TypeChanged, ChangeKind::ColumnAdded, ChangeKind::ColumnRenamed])
    }
}
