//! Who may do what in the database: owners' grants and row policies.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a role was granted.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Grant {
    /// The role; `PUBLIC` for everybody.
    pub to: String,
    /// The columns it is limited to; none for the whole object.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub columns: Vec<String>,
    /// The privileges, sorted (`SELECT`, `UPDATE`…); one that may be passed on ends with `*`.
    pub privileges: Vec<String>,
}

impl Grant {
    /// A short text for people.
    pub fn shown(&self) -> String {
        let columns = if self.columns.is_empty() { String::new() } else { format!(" ({})", self.columns.join(", ")) };
        format!("{}{columns} to {}", self.privileges.join(", "), self.to)
    }
}

/// What a role is granted on whatever an owner makes later.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct DefaultGrant {
    /// Whose new objects.
    pub owner: String,
    /// Which kind (`tables`, `sequences`, `routines`, `types`).
    pub on: String,
    /// What is granted.
    pub grant: Grant,
}

/// A row policy: which records a role sees and may write, decided by the database.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
pub struct Policy {
    /// Its name.
    pub name: String,
    /// The command it is about (`all`, `select`, `insert`, `update`, `delete`).
    pub command: String,
    /// Whether it takes away from what others allow.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub restrictive: bool,
    /// The roles it is about; none for everybody.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub roles: Vec<String>,
    /// Which records are seen.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sees: Option<String>,
    /// Which records may be written.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub writes: Option<String>,
}

impl Policy {
    /// A short text for people; `readable` makes one of SQL.
    pub fn shown(&self, readable: &dyn Fn(&str) -> String) -> String {
        let roles = if self.roles.is_empty() { "everybody".to_owned() } else { self.roles.join(", ") };
        let part = |word: &str, text: &Option<String>| text.as_ref().map_or(String::new(), |t| format!(", {word} {}", readable(t)));
        format!(
            "{}{} for {roles}{}{}",
            if self.restrictive { "restrictive, " } else { "" },
            self.command,
            part("sees", &self.sees),
            part("writes", &self.writes)
        )
    }
}

/// Whether row policies are obeyed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum RowSecurity {
    /// They aren't.
    #[default]
    Off,
    /// By everybody but the owner.
    On,
    /// By the owner too.
    Forced,
}

impl RowSecurity {
    /// Whether it is off.
    pub fn is_off(&self) -> bool {
        *self == RowSecurity::Off
    }

    /// The word for messages.
    pub fn word(self) -> &'static str {
        match self {
            RowSecurity::Off => "off",
            RowSecurity::On => "on",
            RowSecurity::Forced => "on, for the owner too",
        }
    }
}
