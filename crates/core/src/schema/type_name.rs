//! Column types: a canonical kind with its size, and the spelling it came from.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a column's values are, whatever the engine calls it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Whole numbers; the size is in bytes, where the engine limits it.
    Integer,
    /// Exact numbers with decimals; size and scale in digits.
    Decimal,
    /// Floating point; the size is in bytes, where the engine limits it.
    Float,
    /// Text; the size is in characters.
    Text,
    /// Yes or no.
    Boolean,
    /// A day.
    Date,
    /// A time of day; the size is the digits kept after the second.
    Time,
    /// A moment; the size is the digits kept after the second.
    DateTime,
    /// A length of time.
    Interval,
    /// Bytes.
    Binary,
    /// A string of bits.
    Bits,
    /// JSON.
    Json,
    /// XML.
    Xml,
    /// Unique identifiers.
    Uuid,
    /// One of a list of values.
    Enum,
    /// Several of a list of values.
    Set,
    /// A list of values of another type; the spelling tells which.
    Array,
    /// From one value to another; the spelling tells which.
    Range,
    /// A record in a column; the spelling names its type.
    Composite,
    /// Points, lines and areas; the spelling tells which.
    Spatial,
    /// Network addresses; the spelling tells which.
    Network,
    /// Anything (no type given).
    #[default]
    Any,
    /// A type this program doesn't know; its spelling tells.
    Other,
}

impl Kind {
    /// Whether the kind alone doesn't tell the type: the spelling is part of it.
    fn is_spelled(self) -> bool {
        use Kind::{Array, Composite, Enum, Network, Other, Range, Set, Spatial};
        matches!(self, Enum | Set | Array | Range | Composite | Spatial | Network | Other)
    }
}

/// How one type relates to another that took its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TypeRelation {
    /// Every old value fits.
    Widened,
    /// The same kind with less room: some old values may not fit.
    Narrowed,
    /// Values are converted and may lose something.
    Lossy,
    /// Another kind altogether.
    Incompatible,
}

impl TypeRelation {
    /// The word for messages.
    pub fn word(self) -> &'static str {
        match self {
            TypeRelation::Widened => "widened",
            TypeRelation::Narrowed => "narrowed",
            TypeRelation::Lossy => "lossy",
            TypeRelation::Incompatible => "another kind",
        }
    }
}

/// A column's type. Two types are the same when kind and size are; the spelling counts only where the kind doesn't tell the type.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
pub struct ColumnType {
    /// The canonical kind.
    pub kind: Kind,
    /// Most characters (text), digits (decimal) or bytes (integer, float); see [`Kind`].
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<u32>,
    /// Digits after the point.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<u32>,
    /// Whether numbers below zero are refused.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unsigned: bool,
    /// Whether moments are kept in a time zone.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub zone: bool,
    /// The domain it is declared by.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub domain: Option<String>,
    /// Whether the engine refuses what doesn't fit.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub enforced: bool,
    /// The type as the database spells it.
    pub original: String,
}

impl PartialEq for ColumnType {
    fn eq(&self, other: &Self) -> bool {
        (self.kind, self.size, self.scale, self.unsigned, self.zone) == (other.kind, other.size, other.scale, other.unsigned, other.zone)
            && self.domain == other.domain
            && (!self.kind.is_spelled() || self.original.eq_ignore_ascii_case(&other.original))
    }
}

impl Eq for ColumnType {}

impl ColumnType {
    /// A type of this kind without a size.
    pub fn of(kind: Kind, original: &str) -> ColumnType {
        ColumnType { kind, original: original.to_owned(), ..ColumnType::default() }
    }

    /// With a size.
    #[must_use]
    pub fn sized(self, size: Option<u32>) -> ColumnType {
        ColumnType { size, ..self }
    }

    /// Whether two engines' types say the same: by kind and size only, where both engines limit the size.
    pub fn same_across_engines(&self, other: &ColumnType) -> bool {
        use Kind::{DateTime, Float, Integer, Time};
        let size = |t: &ColumnType| match t.kind {
            Kind::Text | Kind::Binary => t.size.filter(|s| *s < 65_535),
            Time | DateTime => None,
            _ => t.size,
        };
        let sizes = match (size(self), size(other)) {
            (Some(a), Some(b)) => a == b,
            (a, b) => a == b || matches!(self.kind, Integer | Float),
        };
        self.kind == other.kind && sizes && self.scale == other.scale
    }

    /// How a type that took this one's place relates to it.
    ///
    /// Kinds follow what every engine converts without loss: whole numbers into decimals, anything into text.
    pub fn relation(&self, to: &ColumnType) -> TypeRelation {
        use Kind::{Any, Binary, Boolean, Date, DateTime, Decimal, Enum, Float, Integer, Json, Text, Time, Uuid};
        let room = |t: &ColumnType| t.size.unwrap_or(u32::MAX);
        match (self.kind, to.kind) {
            (Integer, Integer) if self.unsigned == to.unsigned => wider(room(to) >= room(self)),
            (Integer, Integer) => wider(!to.unsigned && room(to) > room(self)),
            (Decimal, Decimal) => {
                let (a, b) = (self.scale.unwrap_or(0), to.scale.unwrap_or(0));
                let whole = |t: &ColumnType, scale: u32| t.size.map_or(u32::MAX, |s| s.saturating_sub(scale));
                match (to.size.is_none() || b >= a, whole(to, b) >= whole(self, a)) {
                    (true, fits) => wider(fits),
                    (false, _) => TypeRelation::Lossy,
                }
            }
            (Time, Time) | (DateTime, DateTime) if self.zone == to.zone => {
                if room(to) >= room(self) {
                    TypeRelation::Widened
                } else {
                    TypeRelation::Lossy
                }
            }
            (DateTime, DateTime) => TypeRelation::Lossy,
            (a, b) if a == b && !a.is_spelled() => wider(room(to) >= room(self)),
            (Integer, Decimal) => {
                // Digits a whole number of so many bytes may have.
                let digits = match self.size {
                    Some(1) => 3,
                    Some(2) => 5,
                    Some(3) => 8,
                    Some(4) => 10,
                    _ => 19,
                };
                wider(to.size.is_none_or(|s| s.saturating_sub(to.scale.unwrap_or(0)) >= digits))
            }
            (Boolean, Integer | Decimal) | (Date, DateTime) | (_, Any) => TypeRelation::Widened,
            (Float | Decimal, Integer) | (DateTime, Date | Time) | (Decimal, Float) | (Float, Decimal) | (Integer, Float | Boolean) => {
                TypeRelation::Lossy
            }
            (Enum, Text) | (Uuid | Json | Integer | Decimal | Date | Time | DateTime | Boolean, Text) => wider(room(to) >= 36),
            (Text, Enum) => TypeRelation::Narrowed,
            (Any, Text | Binary) => TypeRelation::Narrowed,
            _ => TypeRelation::Incompatible,
        }
    }

    /// Whether values of both can be compared as they are: numbers among themselves, moments, texts, else one kind.
    ///
    /// PostgreSQL refuses the others ("operator does not exist"); elsewhere they compare as something they aren't.
    pub fn compares_with(&self, other: &ColumnType) -> bool {
        use Kind::{Any, Date, DateTime, Decimal, Float, Integer, Other};
        let number = |t: &ColumnType| matches!(t.kind, Integer | Decimal | Float);
        let moment = |t: &ColumnType| matches!(t.kind, Date | DateTime);
        let open = |t: &ColumnType| matches!(t.kind, Any | Other);
        let spelled = self.kind.is_spelled() && self.kind != Kind::Network;
        open(self)
            || open(other)
            || number(self) && number(other)
            || moment(self) && moment(other)
            || self.kind == other.kind && (!spelled || self.original.eq_ignore_ascii_case(&other.original))
    }

    /// Whether records can be sorted, grouped and found by values of this type on an engine that tells types.
    pub fn has_order(&self) -> bool {
        let original = self.original.to_ascii_lowercase();
        match self.kind {
            Kind::Json => original == "jsonb",
            Kind::Xml => false,
            Kind::Spatial => false,
            _ => true,
        }
    }

    /// Whether a total over values of this type can be made on an engine that tells types.
    pub fn takes_total(&self, total: &str) -> bool {
        use Kind::{Any, Boolean, Decimal, Float, Integer, Interval, Json, Other, Spatial, Uuid, Xml};
        match (total, self.kind) {
            (_, Any | Other) | ("count", _) => true,
            ("sum" | "average", kind) => matches!(kind, Integer | Decimal | Float | Interval),
            (_, Boolean | Json | Xml | Spatial | Uuid | Kind::Bits | Kind::Composite | Kind::Range) => false,
            _ => true,
        }
    }

    /// Whether an enforced column of this type refuses every value that a form of this field kind accepts.
    pub fn refuses_every(&self, field_kind: &str) -> bool {
        use Kind::{Boolean, Date, DateTime, Decimal, Float, Integer, Uuid};
        match field_kind {
            "date" | "datetime" | "time" => matches!(self.kind, Integer | Decimal | Float | Boolean | Uuid),
            "bool" | "boolean" => matches!(self.kind, Date | DateTime | Uuid),
            "number" | "decimal" | "percent" | "money" => matches!(self.kind, Date | DateTime | Uuid),
            _ => false,
        }
    }

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
        let kind = if base == "tinyint" && first == Some(1) { Kind::Boolean } else { Self::kind_of(base) };
        let (size, scale) = match kind {
            Kind::Text | Kind::Binary => (first, None),
            Kind::Decimal => (first, second.or(first.map(|_| 0))),
            _ => (None, None),
        };
        ColumnType { kind, size, scale, enforced, original: declared.to_owned(), ..ColumnType::default() }
    }

    fn kind_of(base: &str) -> Kind {
        let has = |word: &str| base.contains(word);
        match base {
            "" | "any" => Kind::Any,
            "date" => Kind::Date,
            "time" => Kind::Time,
            "json" | "jsonb" => Kind::Json,
            "uuid" | "guid" => Kind::Uuid,
            "interval" => Kind::Interval,
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

    /// The same with its domain's name, where it has one.
    pub fn shown_with_domain(&self) -> String {
        match &self.domain {
            Some(domain) => format!("{} ({})", crate::name::shown(domain), self.shown()),
            None => self.shown(),
        }
    }

    /// Whether values are text that people read and search.
    pub fn is_text(&self) -> bool {
        matches!(self.kind, Kind::Text | Kind::Uuid)
    }
}

fn wider(fits: bool) -> TypeRelation {
    if fits { TypeRelation::Widened } else { TypeRelation::Narrowed }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_new_type_is_wider_narrower_lossy_or_another() {
        let read = |text: &str| ColumnType::from_declaration(text, true);
        let int = |bytes| ColumnType::of(Kind::Integer, "int").sized(Some(bytes));
        for (from, to, expected) in [
            (read("varchar(40)"), read("varchar(80)"), TypeRelation::Widened),
            (read("varchar(40)"), read("text"), TypeRelation::Widened),
            (read("text"), read("varchar(40)"), TypeRelation::Narrowed),
            (read("numeric(10,2)"), read("numeric(12,2)"), TypeRelation::Widened),
            (read("numeric(10,2)"), read("numeric(10,4)"), TypeRelation::Narrowed),
            (read("numeric(10,2)"), read("numeric(12,1)"), TypeRelation::Lossy),
            (int(4), int(8), TypeRelation::Widened),
            (int(8), int(4), TypeRelation::Narrowed),
            (int(4), read("numeric(12,2)"), TypeRelation::Widened),
            (read("numeric(6,2)"), int(4), TypeRelation::Lossy),
            (read("date"), read("timestamp"), TypeRelation::Widened),
            (read("timestamp"), read("date"), TypeRelation::Lossy),
            (read("text"), int(4), TypeRelation::Incompatible),
            (int(4), read("text"), TypeRelation::Widened),
        ] {
            assert_eq!(from.relation(&to), expected, "{} to {}", from.original, to.original);
        }
    }

    #[test]
    fn spellings_of_one_type_are_the_same_type() {
        for (a, b) in [
            ("VARCHAR(80)", "character varying (80)"),
            ("int", "INTEGER"),
            ("numeric(10,2)", "DECIMAL( 10 , 2 )"),
            ("bool", "BOOLEAN"),
            ("numeric(8)", "decimal(8,0)"),
            ("tinyint(1)", "boolean"),
        ] {
            assert_eq!(ColumnType::from_declaration(a, false), ColumnType::from_declaration(b, true), "{a} and {b}");
        }
        for (a, b) in [("VARCHAR(80)", "VARCHAR(40)"), ("int", "text"), ("numeric(10,2)", "numeric(10,3)"), ("point", "polygon")] {
            assert_ne!(ColumnType::from_declaration(a, false), ColumnType::from_declaration(b, false), "{a} and {b}");
        }
    }
}
