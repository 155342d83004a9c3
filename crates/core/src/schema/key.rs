//! Keys and constraints over columns.

use crate::name;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A foreign key.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct ForeignKey {
    /// The columns that point.
    pub columns: Vec<String>,
    /// The table they point at.
    #[serde(with = "crate::name::as_written")]
    #[schemars(with = "String")]
    pub table: String,
    /// The columns pointed at, in the same order; empty for the target's primary key.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub to: Vec<String>,
    /// What happens on DELETE of the target (`CASCADE`, `SET NULL`…); absent for no action.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_delete: Option<String>,
    /// What happens on UPDATE of the target's key.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_update: Option<String>,
    /// Checked at the end of the transaction.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deferred: bool,
    /// Whether a transaction may ask for that.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deferrable: bool,
    /// How several columns match where some are NULL (`FULL`); absent for the usual way.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub matching: Option<String>,
    /// Records that were there before it aren't known to keep to it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub not_valid: bool,
}

impl ForeignKey {
    /// A short text for people.
    pub fn shown(&self) -> String {
        let action =
            |on: &str, action: &Option<String>| action.as_ref().map_or(String::new(), |a| format!(" on {on} {}", a.to_lowercase()));
        let mut text = format!("({}) → {}", self.columns.join(", "), name::written(&self.table));
        text.push_str(&action("delete", &self.on_delete));
        text.push_str(&action("update", &self.on_update));
        for (on, word) in [(self.deferred, "deferred"), (self.deferrable && !self.deferred, "deferrable"), (self.not_valid, "not valid")] {
            if on {
                text.push_str(&format!(", {word}"));
            }
        }
        text
    }
}

/// A unique constraint, or a unique index over whole columns and all records.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Unique {
    /// The columns, in index order.
    pub columns: Vec<String>,
    /// Whether two records without a value count as the same.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub nulls_not_distinct: bool,
    /// Checked at the end of a transaction that asks for it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deferrable: bool,
}

impl Unique {
    /// A short text for people.
    pub fn shown(&self) -> String {
        let nulls = if self.nulls_not_distinct { ", empty ones too" } else { "" };
        format!("({}){nulls}{}", self.columns.join(", "), if self.deferrable { ", deferrable" } else { "" })
    }
}

/// An index other than those that keys and unique constraints bring with them.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Index {
    /// Its name.
    pub name: String,
    /// What it is ordered by.
    pub parts: Vec<IndexPart>,
    /// Whether it refuses a second record alike.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unique: bool,
    /// Its kind, where that isn't the engine's usual one (`gin`, `fulltext`…).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub method: Option<String>,
    /// Which records it holds; absent for all.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub condition: Option<String>,
    /// Columns it carries besides.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub carries: Vec<String>,
}

/// A part of an index: a column or an expression.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct IndexPart {
    /// The column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<String>,
    /// The expression, where it isn't a plain column.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expression: Option<String>,
    /// Anything that isn't usual about its order: descending, a collation, an operator class, a prefix length.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

impl Index {
    /// A short text for people: `(lower(name), opened_on desc)`.
    pub fn shown(&self) -> String {
        let part = |p: &IndexPart| {
            let what = p.column.as_ref().or(p.expression.as_ref()).cloned().unwrap_or_default();
            p.order.as_ref().map_or(what.clone(), |order| format!("{what} {order}"))
        };
        let parts: Vec<String> = self.parts.iter().map(part).collect();
        let mut text = format!("({})", parts.join(", "));
        if let Some(method) = &self.method {
            text = format!("{method} {text}");
        }
        if !self.carries.is_empty() {
            text.push_str(&format!(" carrying ({})", self.carries.join(", ")));
        }
        if let Some(condition) = &self.condition {
            text.push_str(&format!(" where {condition}"));
        }
        if self.unique { format!("unique {text}") } else { text }
    }
}

/// A CHECK constraint.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Check {
    /// Its name, where it has one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The expression, as the database keeps it.
    pub expression: String,
    /// Records that were there before it aren't known to keep to it, or the engine doesn't look at it at all.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub not_valid: bool,
}
