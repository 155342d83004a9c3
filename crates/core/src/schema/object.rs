//! What a database has besides tables: types, sequences, routines, events.

use super::{ColumnType, Grant};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A type with a list of values.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct EnumType {
    /// Its name.
    pub name: String,
    /// Its values in their order.
    pub values: Vec<String>,
}

/// A type made from another by a default and checks.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Domain {
    /// Its name.
    pub name: String,
    /// What it is made from.
    #[serde(rename = "type")]
    pub base: ColumnType,
    /// Whether NULL is refused.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub required: bool,
    /// Its default.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default: Option<String>,
    /// Its checks, sorted.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub checks: Vec<String>,
}

/// A type of records.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct CompositeType {
    /// Its name.
    pub name: String,
    /// Its parts: `name type`.
    pub parts: Vec<String>,
}

/// A type of ranges.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct RangeType {
    /// Its name.
    pub name: String,
    /// The type it ranges over.
    pub over: String,
}

/// A sequence that no column owns.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Sequence {
    /// Its name.
    pub name: String,
    /// The type of its numbers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<String>,
    /// Its first number.
    pub start: i64,
    /// What is added each time.
    pub step: i64,
    /// The least number.
    pub least: i64,
    /// The greatest.
    pub greatest: i64,
    /// Whether it begins again.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub cycles: bool,
    /// Who may use it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub grants: Vec<Grant>,
}

/// A function, procedure or aggregate.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Routine {
    /// Its name.
    pub name: String,
    /// `function`, `procedure`, `aggregate` or `window`.
    pub kind: String,
    /// Its arguments: mode, name, type and default as the database writes them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub arguments: Vec<String>,
    /// What it returns.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub returns: Option<String>,
    /// The columns of its result, where it gives records: `name type`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub result: Vec<String>,
    /// The language it is written in.
    pub language: String,
    /// Its body.
    pub body: String,
    /// Anything that isn't usual: `security definer`, `strict`, `immutable`…
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub options: Vec<String>,
    /// Who owns it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<String>,
    /// Who may run it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub grants: Vec<Grant>,
}

impl Routine {
    /// The names of the values it takes, in their order; empty for one without a name.
    pub fn parameters(&self) -> Vec<String> {
        let takes = |argument: &&String| !argument.to_ascii_uppercase().starts_with("OUT ");
        let name = |argument: &String| {
            let mut words =
                argument.split_whitespace().skip_while(|w| ["IN", "INOUT", "VARIADIC"].contains(&w.to_ascii_uppercase().as_str()));
            let first = words.next().unwrap_or_default();
            // A type alone is no name.
            words.next().map(|_| crate::name::unquoted(first)).unwrap_or_default()
        };
        self.arguments.iter().filter(takes).map(name).collect()
    }

    /// Those of them that have to be given.
    pub fn required_parameters(&self) -> Vec<String> {
        let required = |argument: &String| !argument.to_ascii_uppercase().contains(" DEFAULT ") && !argument.contains('=');
        let named = self.arguments.iter().filter(|a| !a.to_ascii_uppercase().starts_with("OUT "));
        named.zip(self.parameters()).filter(|(argument, _)| required(argument)).map(|(_, name)| name).collect()
    }

    /// Name and argument types: what tells it from another of its name.
    pub fn signature(&self) -> String {
        format!("{}({})", self.name, self.arguments.join(", "))
    }
}

/// What the database does by the clock.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Event {
    /// Its name.
    pub name: String,
    /// When.
    pub schedule: String,
    /// What.
    pub body: String,
    /// Whether it is switched off.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub off: bool,
}
