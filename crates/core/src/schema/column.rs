//! Columns.

use super::{ColumnType, Kind};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How a generated column gets its value.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Generated {
    /// The expression, as the database keeps it.
    pub expression: String,
    /// Stored, or computed when read.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stored: bool,
}

/// A column of a table or view.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, JsonSchema)]
pub struct Column {
    /// Its name.
    pub name: String,
    /// Its type.
    #[serde(rename = "type")]
    pub column_type: ColumnType,
    /// Whether it may be NULL.
    pub nullable: bool,
    /// The default, as SQL text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub default: Option<String>,
    /// Set for generated columns: the database refuses to write them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generated: Option<Generated>,
    /// Whether the database numbers new records by it (an identity column, AUTO_INCREMENT, SQLite's INTEGER PRIMARY KEY).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub auto: bool,
    /// Whether it refuses any other number than its own (GENERATED ALWAYS AS IDENTITY).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub always: bool,
    /// What an UPDATE that doesn't give it sets it to (MariaDB's ON UPDATE).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub on_update: Option<String>,
    /// How its text is compared and sorted, where that isn't the table's or database's way.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub collation: Option<String>,
    /// The comment in the database.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
}

impl Column {
    /// Whether a form has to give a value: NOT NULL, and not the database's own to fill.
    pub fn needs_value(&self) -> bool {
        !self.nullable && self.generated.is_none() && !self.auto
    }

    /// Whether nobody but the person who adds a record can give its value: NOT NULL, and nothing stands in for it.
    pub fn must_be_given(&self) -> bool {
        self.needs_value() && self.own_default().is_none()
    }

    /// Its default, unless that is no value.
    pub fn own_default(&self) -> Option<&str> {
        self.default.as_deref().map(str::trim).filter(|text| !text.eq_ignore_ascii_case("null"))
    }

    /// Whether the database supplies the moment, the user or an id of its own where nobody gives a value.
    pub fn is_supplied(&self) -> bool {
        const SUPPLIED: &[&str] = &[
            "now(",
            "'now'",
            "_timestamp",
            "sysdate",
            "getdate(",
            "localtime",
            "current_user",
            "session_user",
            "user()",
            "uuid(",
            "uuid_generate",
            "randomblob(",
            "unixepoch(",
        ];
        // What day it is, a person may well know better.
        let is_day = self.column_type.kind == Kind::Date;
        self.own_default().map(str::to_lowercase).is_some_and(|text| {
            let is_day = is_day || text.contains("::date") || text.trim_start_matches('(').starts_with("date(");
            !is_day && !text.starts_with('\'') && SUPPLIED.iter().any(|call| text.contains(call))
        })
    }

    /// Whether what the database supplies is the moment.
    pub fn is_supplied_moment(&self) -> bool {
        self.is_supplied()
            && self
                .own_default()
                .map(str::to_lowercase)
                .is_some_and(|text| !text.contains("user") && !text.contains("uuid") && !text.contains("randomblob"))
    }

    /// Whether a sequence numbers new records by it, whoever the sequence belongs to.
    pub fn is_numbered(&self) -> bool {
        self.auto || self.own_default().is_some_and(|text| text.to_ascii_lowercase().starts_with("nextval("))
    }

    /// Whether the database writes it itself, and refuses anybody else's value.
    pub fn written_by_database(&self) -> bool {
        self.generated.is_some() || self.always
    }
}

#[cfg(test)]
mod tests {
    use crate::testkit::schema;

    #[test]
    fn a_person_gives_what_nothing_else_gives() {
        for (column, must_be_given, is_supplied, is_numbered) in [
            ("text", false, false, false),
            ("text required", true, false, false),
            ("text required default ''", false, false, false),
            ("text required default NULL", true, false, false),
            ("text required default 'now()'", false, false, false),
            ("integer required numbered", false, false, true),
            ("integer required default nextval('a_seq'::regclass)", false, false, true),
            ("moment required default now()", false, true, false),
            ("moment default CURRENT_TIMESTAMP", false, true, false),
            ("text default (strftime('%s','now'))", false, true, false),
            ("text required default CURRENT_USER", false, true, false),
            ("date required default CURRENT_DATE", false, false, false),
            ("date required default now()::date", false, false, false),
        ] {
            let schema = schema(&format!("hive: it {column}"));
            let it = &schema.tables[0].columns[0];
            assert_eq!((it.must_be_given(), it.is_supplied(), it.is_numbered()), (must_be_given, is_supplied, is_numbered), "{column}");
        }
    }
}
