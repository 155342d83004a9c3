//! Schemas in a few words, for tests beside the code.
//!
//! ```text
//! yard: id integer key; name text required unique
//! hive: id integer key; weight decimal(8,2) default 0; yard_id integer -> yard; check weight > 0; index weight
//! view heavy: id integer; weight decimal(8,2) = SELECT id, weight FROM hive WHERE weight > 40
//! ```

use crate::schema::{Check, Column, ColumnType, Engine, ForeignKey, Index, IndexPart, Kind, Schema, Table, TableKind, Unique};

/// A schema of an engine that keeps to declared types.
pub fn schema(text: &str) -> Schema {
    schema_on(Engine::Postgresql, text)
}

/// A schema of an engine.
pub fn schema_on(engine: Engine, text: &str) -> Schema {
    Schema::new(engine, text.lines().map(str::trim).filter(|line| !line.is_empty()).map(table).collect())
}

fn table(line: &str) -> Table {
    let (name, rest) = line.split_once(':').unwrap_or_else(|| panic!("a table is `name: columns`, not `{line}`"));
    let (parts, select) = match rest.split_once(" = ") {
        Some((parts, select)) if name.starts_with("view ") => (parts, Some(select.trim().to_owned())),
        _ => (rest, None),
    };
    let kind = if name.starts_with("view ") { TableKind::View } else { TableKind::Table };
    let mut table = Table { name: name.trim_start_matches("view ").to_owned(), kind, definition: select, ..Table::default() };
    for part in parts.split(';').map(str::trim).filter(|part| !part.is_empty()) {
        let (word, rest) = part.split_once(' ').unwrap_or((part, ""));
        match word {
            "check" => table.checks.push(Check { name: None, expression: rest.to_owned(), not_valid: false }),
            "index" => table.indexes.push(index(rest)),
            "unique" => table.uniques.push(Unique { columns: words(rest), ..Unique::default() }),
            "key" => table.primary_key = words(rest),
            _ => column(&mut table, word, rest),
        }
    }
    table
}

fn words(text: &str) -> Vec<String> {
    text.split_whitespace().map(str::to_owned).collect()
}

fn index(columns: &str) -> Index {
    let parts = words(columns).into_iter().map(|column| IndexPart { column: Some(column), ..IndexPart::default() });
    Index { name: format!("{}_idx", words(columns).join("_")), parts: parts.collect(), ..Index::default() }
}

fn column(table: &mut Table, name: &str, rest: &str) {
    let mut column = Column { name: name.to_owned(), nullable: true, ..Column::default() };
    let mut words = rest.split_whitespace();
    let spelled = words.next().unwrap_or_else(|| panic!("{name} has no type"));
    column.column_type = column_type(spelled);
    while let Some(word) = words.next() {
        let mut next = || words.next().unwrap_or_else(|| panic!("{name}: nothing stands behind `{word}`")).to_owned();
        match word {
            "key" => {
                column.nullable = false;
                table.primary_key.push(name.to_owned());
            }
            "required" => column.nullable = false,
            "unique" => table.uniques.push(Unique { columns: vec![name.to_owned()], ..Unique::default() }),
            "default" => column.default = Some(next()),
            "numbered" => column.auto = true,
            "->" => table.foreign_keys.push(ForeignKey { columns: vec![name.to_owned()], table: next(), ..ForeignKey::default() }),
            other => panic!("{name}: `{other}` means nothing"),
        }
    }
    table.columns.push(column);
}

fn column_type(spelled: &str) -> ColumnType {
    let (word, sizes) = spelled.split_once('(').unwrap_or((spelled, ""));
    let kind = match word {
        "integer" => Kind::Integer,
        "decimal" => Kind::Decimal,
        "float" => Kind::Float,
        "text" => Kind::Text,
        "boolean" => Kind::Boolean,
        "date" => Kind::Date,
        "moment" => Kind::DateTime,
        "bytes" => Kind::Binary,
        other => panic!("`{other}` is no type"),
    };
    let mut sizes = sizes.trim_end_matches(')').split(',').map(|n| n.trim().parse::<u32>().ok());
    let size = sizes.next().flatten();
    ColumnType { scale: sizes.next().flatten(), ..ColumnType::of(kind, spelled).sized(size) }
}
