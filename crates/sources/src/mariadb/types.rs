//! MariaDB's and MySQL's types in the neutral model.

use ysomorph_core::schema::{ColumnType, Kind};

/// What the information schema says of a type.
pub(super) struct Declared<'a> {
    /// `tinyint(1)`, `enum('a','b')`
    pub spelled: &'a str,
    /// `tinyint`, `enum`
    pub base: &'a str,
    pub length: Option<u64>,
    pub precision: Option<u32>,
    pub scale: Option<u32>,
    pub fraction: Option<u32>,
    /// Whether a check makes it JSON.
    pub json: bool,
}

pub(super) fn neutral(declared: &Declared<'_>) -> ColumnType {
    let of = |kind| ColumnType::of(kind, declared.spelled);
    // The longest kinds have no limit that counts.
    let length = declared.length.and_then(|l| u32::try_from(l).ok()).filter(|l| *l < u32::MAX);
    let fraction = declared.fraction.filter(|f| *f > 0);
    let found = match declared.base {
        "tinyint" if declared.spelled.starts_with("tinyint(1)") && !declared.spelled.contains("unsigned") => of(Kind::Boolean),
        "tinyint" => of(Kind::Integer).sized(Some(1)),
        "smallint" => of(Kind::Integer).sized(Some(2)),
        "mediumint" => of(Kind::Integer).sized(Some(3)),
        "int" => of(Kind::Integer).sized(Some(4)),
        "bigint" => of(Kind::Integer).sized(Some(8)),
        "year" => of(Kind::Integer).sized(Some(2)),
        "decimal" => ColumnType { scale: declared.scale, ..of(Kind::Decimal).sized(declared.precision) },
        "float" => of(Kind::Float).sized(Some(4)),
        "double" => of(Kind::Float).sized(Some(8)),
        "longtext" if declared.json => of(Kind::Json),
        "json" => of(Kind::Json),
        "char" | "varchar" | "tinytext" | "text" | "mediumtext" | "longtext" => of(Kind::Text).sized(length),
        "binary" | "varbinary" | "tinyblob" | "blob" | "mediumblob" | "longblob" => of(Kind::Binary).sized(length),
        "bit" => of(Kind::Bits).sized(declared.precision),
        "date" => of(Kind::Date),
        "time" => of(Kind::Time).sized(fraction),
        "datetime" => of(Kind::DateTime).sized(fraction),
        "timestamp" => ColumnType { zone: true, ..of(Kind::DateTime).sized(fraction) },
        "enum" => of(Kind::Enum),
        "set" => of(Kind::Set),
        "uuid" => of(Kind::Uuid),
        "inet4" | "inet6" => of(Kind::Network),
        "geometry" | "point" | "linestring" | "polygon" | "multipoint" | "multilinestring" | "multipolygon" | "geometrycollection"
        | "geomcollection" => of(Kind::Spatial),
        _ => of(Kind::Other),
    };
    ColumnType { unsigned: declared.spelled.contains("unsigned"), enforced: true, ..found }
}
