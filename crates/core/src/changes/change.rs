//! The vocabulary of changes.

use crate::rename::Evidence;
use crate::schema::TypeRelation;
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
    /// A trigger is new.
    TriggerAdded,
    /// A trigger is gone.
    TriggerDropped,
    /// A trigger changed, was switched on or off, or broke.
    TriggerChanged,
    /// A table's options changed: STRICT, its storage engine, unlogged…
    OptionsChanged,
    /// What an UPDATE sets a column to changed.
    OnUpdateChanged,
    /// How text is compared and sorted changed.
    CollationChanged,
    /// A comment changed.
    CommentChanged,
    /// An index is new.
    IndexAdded,
    /// An index is gone.
    IndexDropped,
    /// An EXCLUDE constraint is new.
    ExclusionAdded,
    /// An EXCLUDE constraint is gone.
    ExclusionDropped,
    /// Records are spread over partitions in another way.
    PartitioningChanged,
    /// A partition is new.
    PartitionAdded,
    /// A partition is gone.
    PartitionDropped,
    /// A table inherits from others.
    InheritanceChanged,
    /// A row policy is new.
    PolicyAdded,
    /// A row policy is gone.
    PolicyDropped,
    /// A row policy changed.
    PolicyChanged,
    /// Row policies were switched on or off.
    RowSecurityChanged,
    /// A role has a privilege it hadn't.
    GrantAdded,
    /// A role lost its privileges.
    GrantDropped,
    /// A role's privileges changed.
    GrantChanged,
    /// Another role owns it.
    OwnerChanged,
    /// A type with a list of values is new.
    EnumAdded,
    /// A type with a list of values is gone.
    EnumDropped,
    /// A type's list of values changed.
    EnumChanged,
    /// A domain is new.
    DomainAdded,
    /// A domain is gone.
    DomainDropped,
    /// A domain's type, default or checks changed.
    DomainChanged,
    /// A type of records is new.
    CompositeAdded,
    /// A type of records is gone.
    CompositeDropped,
    /// A type of records has other parts.
    CompositeChanged,
    /// A type of ranges is new.
    RangeAdded,
    /// A type of ranges is gone.
    RangeDropped,
    /// A type of ranges is over another type.
    RangeChanged,
    /// A sequence is new.
    SequenceAdded,
    /// A sequence is gone.
    SequenceDropped,
    /// A sequence counts in another way.
    SequenceChanged,
    /// A routine is new.
    RoutineAdded,
    /// A routine is gone.
    RoutineDropped,
    /// A routine has other arguments, another result, body or options.
    RoutineChanged,
    /// An event is new.
    EventAdded,
    /// An event is gone.
    EventDropped,
    /// An event changed.
    EventChanged,
    /// Grants on what is made later changed.
    DefaultGrantsChanged,
}

impl ChangeKind {
    /// Every kind, in the order of this list.
    pub const ALL: &'static [ChangeKind] = &[
        ChangeKind::TableAdded,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::TableKindChanged,
        ChangeKind::ColumnAdded,
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TypeChanged,
        ChangeKind::BecameRequired,
        ChangeKind::BecameOptional,
        ChangeKind::DefaultChanged,
        ChangeKind::GeneratedChanged,
        ChangeKind::PrimaryKeyChanged,
        ChangeKind::ForeignKeyAdded,
        ChangeKind::ForeignKeyDropped,
        ChangeKind::UniqueAdded,
        ChangeKind::UniqueDropped,
        ChangeKind::CheckAdded,
        ChangeKind::CheckDropped,
        ChangeKind::ViewChanged,
        ChangeKind::ViewBroken,
        ChangeKind::TriggerAdded,
        ChangeKind::TriggerDropped,
        ChangeKind::TriggerChanged,
        ChangeKind::OptionsChanged,
        ChangeKind::OnUpdateChanged,
        ChangeKind::CollationChanged,
        ChangeKind::CommentChanged,
        ChangeKind::IndexAdded,
        ChangeKind::IndexDropped,
        ChangeKind::ExclusionAdded,
        ChangeKind::ExclusionDropped,
        ChangeKind::PartitioningChanged,
        ChangeKind::PartitionAdded,
        ChangeKind::PartitionDropped,
        ChangeKind::InheritanceChanged,
        ChangeKind::PolicyAdded,
        ChangeKind::PolicyDropped,
        ChangeKind::PolicyChanged,
        ChangeKind::RowSecurityChanged,
        ChangeKind::GrantAdded,
        ChangeKind::GrantDropped,
        ChangeKind::GrantChanged,
        ChangeKind::OwnerChanged,
        ChangeKind::EnumAdded,
        ChangeKind::EnumDropped,
        ChangeKind::EnumChanged,
        ChangeKind::DomainAdded,
        ChangeKind::DomainDropped,
        ChangeKind::DomainChanged,
        ChangeKind::CompositeAdded,
        ChangeKind::CompositeDropped,
        ChangeKind::CompositeChanged,
        ChangeKind::RangeAdded,
        ChangeKind::RangeDropped,
        ChangeKind::RangeChanged,
        ChangeKind::SequenceAdded,
        ChangeKind::SequenceDropped,
        ChangeKind::SequenceChanged,
        ChangeKind::RoutineAdded,
        ChangeKind::RoutineDropped,
        ChangeKind::RoutineChanged,
        ChangeKind::EventAdded,
        ChangeKind::EventDropped,
        ChangeKind::EventChanged,
        ChangeKind::DefaultGrantsChanged,
    ];

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

/// Who made a change.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct MadeBy {
    /// The role, where it is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<String>,
    /// When, as the database writes moments.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub when: Option<String>,
    /// The statement.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub statement: Option<String>,
}

/// One difference between the accepted and the changed schema.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Change {
    /// The kind.
    pub kind: ChangeKind,
    /// The table: by its accepted name where it had one; empty where the change is about something else.
    #[serde(with = "crate::name::as_written", skip_serializing_if = "String::is_empty", default)]
    #[schemars(with = "String")]
    pub table: String,
    /// The column, where the change is about one: by its accepted name where it had one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<String>,
    /// What else it is about: an index, trigger, policy, role, type, sequence, routine…
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub object: Option<String>,
    /// The new name of a renamed table or column.
    #[serde(default, skip_serializing_if = "Option::is_none", serialize_with = "to_written")]
    pub to: Option<String>,
    /// What it was, as text for people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// What it is now, as text for people.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<String>,
    /// How a changed type relates to the old one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub relation: Option<TypeRelation>,
    /// Names that something dropped may have now, none of them likelier than the others.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub candidates: Vec<String>,
    /// Who made it, when and how, where it can be told.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub by: Vec<MadeBy>,
    /// Why a rename is believed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub evidence: Option<Evidence>,
}

/// A qualified name as people write it.
fn to_written<S: serde::Serializer>(to: &Option<String>, serializer: S) -> Result<S::Ok, S::Error> {
    let to = to.as_deref().unwrap_or_default();
    let qualified = crate::name::split_qualified(to).0.is_some();
    serializer.serialize_str(&if qualified { crate::name::written(to) } else { to.to_owned() })
}

impl Change {
    /// A change of a table as a whole.
    pub fn of_table(kind: ChangeKind, table: &str) -> Change {
        Change {
            kind,
            table: table.to_owned(),
            column: None,
            object: None,
            to: None,
            before: None,
            after: None,
            relation: None,
            candidates: Vec::new(),
            by: Vec::new(),
            evidence: None,
        }
    }

    /// A change of one column.
    pub fn of_column(kind: ChangeKind, table: &str, column: &str) -> Change {
        Change { column: Some(column.to_owned()), ..Change::of_table(kind, table) }
    }

    /// A change of an object: of a table, or of none where that is empty.
    pub fn of_object(kind: ChangeKind, table: &str, object: &str) -> Change {
        Change { object: Some(object.to_owned()), ..Change::of_table(kind, table) }
    }

    /// With what it was and is.
    pub fn from_to(mut self, before: Option<String>, after: Option<String>) -> Change {
        self.before = before;
        self.after = after;
        self
    }

    /// `table` or `table.column`: an object is left to the words about it.
    pub fn subject_in_table(&self) -> String {
        match &self.column {
            Some(column) => crate::name::dotted(&self.table, column),
            None => crate::name::written(&self.table),
        }
    }

    /// `table` or `table.column`, as messages name it.
    pub fn subject(&self) -> String {
        match (&self.column, &self.object) {
            (Some(column), _) => crate::name::dotted(&self.table, column),
            (None, Some(object)) if self.table.is_empty() => object.clone(),
            (None, Some(object)) => format!("{} on {}", object, crate::name::written(&self.table)),
            (None, None) => crate::name::written(&self.table),
        }
    }
}
