//! Needs that an engine refuses for the types of the columns: only one that tells types does.

use super::{Context, What};
use crate::changes::ChangeKind;
use crate::schema::Column;
use crate::sql::{self, Analysis, Scope};
use crate::statements::{Spot, Use, Why};

/// Table, query that stands in for it, column.
type Read = (String, Option<String>, String);

impl<'a> Context<'a> {
    /// The column that is read, on an engine that tells types: through a query, where it gives a column as it is.
    pub(super) fn type_of(&self, (table, select, column): &Read) -> Option<&'a Column> {
        let changed = self.input.changed;
        if !changed.engine.tells_types() {
            return None;
        }
        match select {
            None => changed.table(table).filter(|t| t.broken.is_none())?.column(column),
            Some(select) => {
                let results = self.results.get(select.as_str())?.as_ref()?;
                let (table, column) = results.iter().find(|r| crate::name::same(&r.name, column))?.from.as_ref()?;
                changed.column(table, column)
            }
        }
    }

    /// Two columns that can't be compared.
    pub(super) fn incomparable(&self, this: &Read, with: &Read) -> Option<What> {
        let (a, b) = (self.type_of(this)?, self.type_of(with)?);
        (!a.column_type.compares_with(&b.column_type)).then(|| What::WrongType {
            table: this.0.clone(),
            column: this.2.clone(),
            with: Some((with.0.clone(), with.2.clone())),
            offset: 0,
            operation: format!("{} = {}", a.column_type.shown(), b.column_type.shown()),
        })
    }

    /// A column that is sorted, grouped or filtered by, of a type without an order.
    pub(super) fn has_no_order(&self, used: &Use, table: &crate::schema::Table, column: &str) -> Option<What> {
        let use_word = match &used.why {
            Why::Field { spot: spot @ (Spot::Sort | Spot::Group | Spot::Filter), .. } => spot.word(),
            // A save compares it with what was read.
            Why::Version => "comparing",
            _ => return None,
        };
        let known = table.column(column).filter(|c| self.input.changed.engine.tells_types() && !c.column_type.has_order())?;
        let operation = format!("{use_word} by {}", known.column_type.shown());
        Some(What::WrongType { table: table.name.clone(), column: known.name.clone(), with: None, offset: 0, operation })
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
