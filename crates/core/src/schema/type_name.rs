//! Column types: a canonical kind with its size, and the spelling it came from.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a column's values are, whatever the engine calls it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Whole numbers.
    Integer,
    /// Exact numbers with decimals.
    Decimal,
    /// Floating point.
    Float,
    /// Text.
    Text,
    /// Yes or no.
    Boolean,
    /// A day.
    Date,
    /// A time of day.
    Time,
    /// A moment.
    DateTime,
    /// Bytes.
    Binary,
    /// JSON.
    Json,
    /// Unique identifiers.
    Uuid,
    /// Anything (no type given).
    Any,
    /// A type this program doesn't know; its spelling tells.
    Other,
}

/// A column's type. Two types are the same when kind and size are; the spelling doesn't count.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ColumnType {
    /// The canonical kind.
    pub kind: Kind,
    /// Most characters (text) or digits (decimal).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<u32>,
    /// Digits after the point.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<u32>,
    /// Whether the engine refuses what doesn't fit.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub enforced: bool,
    /// The type as the database spells it.
    pub original: String,
}

impl PartialEq for ColumnType {
    fn eq(&self, other: &Self) -> bool {
        (self.kind, self.size, self.scale) == (other.kind, other.size, other.scale)
            && (self.kind != Kind::Other || self.original.eq_ignore_ascii_case(&other.original))
    }
}

impl Eq for ColumnType {}

impl ColumnType {
    /// Reads a declared type such as `VARCHAR(80)` or `numeric(10, 2)`.
    ///
    /// Words follow the SQL standard and what SQLite's users write; what is left falls under SQLite's
    /// affinity rules (section 3.1 of its data type documentation), and else is [`Kind::Other`].
    pub fn from_declaration(declared: &str, enforced: bool) -> ColumnType {
        let lower = declared.to_lowercase();
        let (base, arguments) = match lower.split_once('(') {
            Some((base, rest)) => (base.trim(), rest.trim_end_matches(|c| c != ')').trim_end_matches(')')),
            None => (lower.trim(), ""),
        };
        let mut sizes = arguments.split(',').map(|n| n.trim().parse::<u32>().ok());
        let (first, second) = (sizes.next().flatten(), sizes.next().flatten());
        let kind = Self::kind_of(base);
        let (size, scale) = match kind {
            Kind::Text | Kind::Binary => (first, None),
            Kind::Decimal => (first, second.or(first.map(|_| 0))),
            _ => (None, None),
        };
        ColumnType { kind, size, scale, enforced, original: declared.to_owned() }
    }

    fn kind_of(base: &str) -> Kind {
        let has = |word: &str| base.contains(word);
        match base {
            "" | "any" => Kind::Any,
            "date" => Kind::Date,
            "time" => Kind::Time,
            "json" | "jsonb" => Kind::Json,
            "uuid" | "guid" => Kind::Uuid,
            _ if has("bool") || base == "bit" => Kind::Boolean,
            _ if has("datetime") || has("timestamp") => Kind::DateTime,
            _ if has("int") || has("serial") || base == "year" => Kind::Integer,
            _ if has("char") || has("clob") || has("text") || has("string") => Kind::Text,
            _ if has("blob") || has("binary") || has("bytea") => Kind::Binary,
            _ if has("dec") || has("numeric") || has("money") => Kind::Decimal,
            _ if has("real") || has("floa") || has("doub") => Kind::Float,
            _ => Kind::Other,
        }
    }

    /// A short text for people: the original spelling, or "no type".
    pub fn shown(&self) -> String {
        if self.original.is_empty() { "no type".to_owned() } else { crate::name::shown(&self.original) }
    }

    /// Whether values are text that people read and search.
    pub fn is_text(&self) -> bool {
        matches!(self.kind, Kind::Text | Kind::Uuid)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spellings_of_one_type_are_the_same_type() {
        for (a, b) in [
            ("VARCHAR(80)", "character varying (80)"),
            ("int", "INTEGER"),
            ("numeric(10,2)", "DECIMAL( 10 , 2 )"),
            ("bool", "BOOLEAN"),
            ("numeric(8)", "decimal(8,0)"),
        ] {
            assert_eq!(ColumnType::from_declaration(a, false), ColumnType::from_declaration(b, true), "{a} and {b}");
        }
        for (a, b) in [("VARCHAR(80)", "VARCHAR(40)"), ("int", "text"), ("numeric(10,2)", "numeric(10,3)"), ("point", "polygon")] {
            assert_ne!(ColumnType::from_declaration(a, false), ColumnType::from_declaration(b, false), "{a} and {b}");
        }
    }
}
