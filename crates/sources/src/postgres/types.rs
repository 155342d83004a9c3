//! PostgreSQL's types in the neutral model.

use super::rows::{Oid, TypeRow};
use std::collections::HashMap;
use ysomorph_core::schema::{ColumnType, Kind};

/// Types by number and modifier.
pub(super) struct Types {
    rows: HashMap<(Oid, i32), (TypeRow, ColumnType)>,
}

impl Types {
    pub fn of(rows: Vec<TypeRow>) -> Types {
        let by_key: HashMap<(Oid, i32), TypeRow> = rows.into_iter().map(|row| ((row.0, row.1), row)).collect();
        let known = by_key.iter().map(|(key, row)| (*key, (row.clone(), neutral(row, &by_key)))).collect();
        Types { rows: known }
    }

    pub fn get(&self, id: Oid, modifier: i32) -> ColumnType {
        self.rows.get(&(id, modifier)).map(|(_, neutral)| neutral.clone()).unwrap_or_default()
    }
}

fn neutral(row: &TypeRow, all: &HashMap<(Oid, i32), TypeRow>) -> ColumnType {
    // A domain is what it is made from, under its own name.
    let (mut base, mut steps) = (row, 0);
    while base.4 == 'd' && steps < 16 {
        match all.get(&(base.6, base.7)) {
            Some(next) => base = next,
            None => break,
        }
        steps += 1;
    }
    let mut found = of_base(base);
    found.enforced = true;
    if row.4 == 'd' {
        found.domain = Some(row.2.clone());
    }
    found
}

fn of_base(row: &TypeRow) -> ColumnType {
    let TypeRow(_, modifier, spelled, name, type_of, category, ..) = row;
    let limit = u32::try_from(*modifier).ok();
    let length = limit.map(|m| m.saturating_sub(4));
    let of = |kind| ColumnType::of(kind, spelled);
    match type_of {
        'e' => return of(Kind::Enum),
        'c' => return of(Kind::Composite),
        'r' | 'm' => return of(Kind::Range),
        _ if *category == 'A' => return of(Kind::Array),
        _ => {}
    }
    match name.as_str() {
        "int2" => of(Kind::Integer).sized(Some(2)),
        "int4" => of(Kind::Integer).sized(Some(4)),
        "int8" => of(Kind::Integer).sized(Some(8)),
        "numeric" => {
            let (size, scale) = length.map_or((None, None), |m| (Some(m >> 16), Some(m & 0x7ff)));
            ColumnType { scale, ..of(Kind::Decimal).sized(size) }
        }
        "money" => ColumnType { scale: Some(2), ..of(Kind::Decimal) },
        "float4" => of(Kind::Float).sized(Some(4)),
        "float8" => of(Kind::Float).sized(Some(8)),
        "varchar" | "bpchar" => of(Kind::Text).sized(length),
        "text" | "name" | "citext" => of(Kind::Text),
        "char" => of(Kind::Text).sized(Some(1)),
        "bool" => of(Kind::Boolean),
        "date" => of(Kind::Date),
        "time" => of(Kind::Time).sized(limit),
        "timetz" => ColumnType { zone: true, ..of(Kind::Time).sized(limit) },
        "timestamp" => of(Kind::DateTime).sized(limit),
        "timestamptz" => ColumnType { zone: true, ..of(Kind::DateTime).sized(limit) },
        "interval" => of(Kind::Interval),
        "bytea" => of(Kind::Binary),
        "bit" | "varbit" => of(Kind::Bits).sized(limit),
        "json" | "jsonb" => of(Kind::Json),
        "xml" => of(Kind::Xml),
        "uuid" => of(Kind::Uuid),
        "inet" | "cidr" | "macaddr" | "macaddr8" => of(Kind::Network),
        "point" | "line" | "lseg" | "box" | "path" | "polygon" | "circle" | "geometry" | "geography" => of(Kind::Spatial),
        _ => of(Kind::Other),
    }
}
