//! The vocabulary of changes.

use crate::rename::Evidence;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What kind of change it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ChangeKind {
    /// A table or view is new.
    TableAdded,
    /// A table or view is gone.
    TableDropped,
    /// A table or view has another name.
    TableRenamed,
    /// A table became a view, or a view a table.
    TableKindChanged,
    /// A column is new.
    ColumnAdded,
    /// A column is gone.
    ColumnDropped,
    /// A column has another name.
    ColumnRenamed,
    /// A column's type changed in kind or size.
    TypeChanged,
    /// A column may no longer be NULL.
    BecameRequired,
    /// A column may be NULL now.
    BecameOptional,
    /// A column's default changed, came or went.
    DefaultChanged,
    /// A column became generated, stopped being so, or has another expression.
    GeneratedChanged,
    /// The primary key has other columns.
    PrimaryKeyChanged,
    /// A foreign key is new.
    ForeignKeyAdded,
    /// A foreign key is gone.
    ForeignKeyDropped,
    /// A unique constraint is new.
    UniqueAdded,
    /// A unique constraint is gone.
    UniqueDropped,
    /// A CHECK constraint is new.
    CheckAdded,
    /// A CHECK constraint is gone.
    CheckDropped,
    /// A view's statement changed.
    ViewChanged,
    /// Something a view reads is gone: it can't be read any more.
    ViewBroken,
    /// A trigger came, went or changed.
    TriggerChanged,
    /// STRICT or WITHOUT ROWID came or went.
    OptionsChanged,
}

impl ChangeKind {
    /// Whether a name that was there is there no more.
    pub fn loses_a_name(self) -> bool {
        matches!(self, ChangeKind::TableDropped | ChangeKind::TableRenamed | ChangeKind::ColumnDropped | ChangeKind::ColumnRenamed)
    }

    /// The name as JSON writes it.
    pub fn name(self) -> String {
        match serde_json::to_value(self) {
            Ok(serde_json::Value::String(name)) => name,
            _ => format!("{self:?}"),
        }
    }
}

/// One difference between the accepted and the changed schema.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Change {
    /// The kind.
    pub kind: ChangeKind,
    /// The table: by its accepted name where it had one.
    pub table: String,
    /// The column, where the change is about one: by its accepted name where it had one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<String>,
    /// The new name of a renamed table or column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// What it was, as text for people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// What it is now, as text for people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// Why a rename is believed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub evidence: Option<Evidence>,
}

impl Change {
    /// A change of a table as a whole.
    pub fn of_table(kind: ChangeKind, table: &str) -> Change {
        Change { kind, table: table.to_owned(), column: None, to: None, before: None, after: None, evidence: None }
    }

    /// A change of one column.
    pub fn of_column(kind: ChangeKind, table: &str, column: &str) -> Change {
        Change { column: Some(column.to_owned()), ..Change::of_table(kind, table) }
    }

    /// With what it was and is.
    pub fn from_to(mut self, before: Option<String>, after: Option<String>) -> Change {
        self.before = before;
        self.after = after;
        self
    }

    /// `table` or `table.column`, as messages name it.
    pub fn subject(&self) -> String {
        match &self.column {
            Some(column) => crate::name::dotted(&self.table, column),
            None => crate::name::written(&self.table),
        }
    }
}
