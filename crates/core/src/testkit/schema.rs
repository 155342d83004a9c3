//! Schemas in a few words.
//!
//! ```text
//! yard: id integer key; name text required unique
//! hive: id integer key; weight decimal(8,2) default 0; yard_id integer -> yard; check weight > 0; index weight
//! view heavy: id integer; weight decimal(8,2) = SELECT id, weight FROM hive WHERE weight > 40
//! ```
//!
//! Behind a column: `key`, `numbered` (the database numbers it), `required`, `unique`, `default X`, `-> table` or
//! `-> table.column` (with `cascade` or `empties`), `generated X`, `collate X`, `comment X`. Values are single words, or stand in
//! `'…'`.

use crate::name;
use crate::schema::{
    Check, Column, ColumnType, Engine, ForeignKey, Generated, Grant, Index, IndexPart, Kind, Policy, Schema, Table, TableKind, Unique,
};

/// A schema of an engine that keeps to declared types.
pub fn schema(text: &str) -> Schema {
    schema_on(Engine::Postgresql, text)
}

/// A schema of an engine.
pub fn schema_on(engine: Engine, text: &str) -> Schema {
    let mut schema = Schema::new(engine, Vec::new());
    text.lines().map(str::trim).filter(|line| !line.is_empty()).for_each(|line| enter(&mut schema, line));
    schema
}

/// Puts a table into a schema, in the place of one of its name.
pub(super) fn enter(schema: &mut Schema, line: &str) {
    let (name, rest) = line.split_once(':').unwrap_or_else(|| panic!("a table is `name: columns`, not `{line}`"));
    let (parts, select) = match rest.split_once(" = ") {
        Some((parts, select)) if name.starts_with("view ") => (parts, Some(select.trim().to_owned())),
        _ => (rest, None),
    };
    let kind = if name.starts_with("view ") { TableKind::View } else { TableKind::Table };
    let mut table = Table { name: name.trim_start_matches("view ").to_owned(), kind, engine: schema.engine, ..Table::default() };
    table.reads = select.as_deref().map(|select| read_by(select, schema)).unwrap_or_default();
    table.definition = select;
    parts.split(';').map(str::trim).filter(|part| !part.is_empty()).for_each(|part| add(&mut table, part));
    schema.tables.retain(|t| t.name != table.name);
    schema.tables.push(table);
    schema.tables.sort();
}

/// The columns that a view's statement names, of the tables that it names.
fn read_by(select: &str, schema: &Schema) -> Vec<String> {
    let words: Vec<&str> = select.split(|c: char| !c.is_alphanumeric() && c != '_').collect();
    let tables = schema.tables.iter().filter(|t| words.contains(&t.name.as_str()));
    let columns = tables.flat_map(|t| t.columns.iter().map(move |c| (t, c))).filter(|(_, c)| words.contains(&c.name.as_str()));
    columns.map(|(t, c)| name::dotted(&t.name, &c.name)).collect()
}

/// Adds a column, a key or a constraint to a table; a column takes the place of one of its name.
pub(super) fn add(table: &mut Table, part: &str) {
    let (word, rest) = part.split_once(' ').unwrap_or((part, ""));
    match word {
        "check" => table.checks.push(Check { name: None, expression: rest.to_owned(), not_valid: false }),
        "index" => table.indexes.push(index(rest)),
        "unique" => table.uniques.push(Unique { columns: words(rest), ..Unique::default() }),
        "key" => table.primary_key = words(rest),
        "reference" => table.foreign_keys.push(reference(rest)),
        "grant" => table.grants.push(grant(rest)),
        "policy" => table.policies.push(policy(rest)),
        _ => column(table, word, rest),
    }
}

/// Takes a column, a key or a constraint out of a table, as [`add`] puts it in; `reference COLUMN` is a foreign key.
pub(super) fn take_out(table: &mut Table, part: &str) {
    let (word, rest) = part.split_once(' ').unwrap_or((part, ""));
    match word {
        "check" => table.checks.retain(|c| c.expression != rest),
        "index" => table.indexes.retain(|i| *i != index(rest)),
        "unique" => table.uniques.retain(|u| u.columns != words(rest)),
        "key" => table.primary_key.clear(),
        "grant" => table.grants.retain(|g| *g != grant(rest)),
        "policy" => table.policies.retain(|p| *p != policy(rest)),
        "reference" => table.foreign_keys.retain(|k| k.columns != words(rest)),
        _ => {
            let has = |columns: &[String]| columns.iter().any(|c| c == word);
            table.columns.retain(|c| c.name != word);
            table.foreign_keys.retain(|k| !has(&k.columns));
            table.uniques.retain(|u| !has(&u.columns));
            table.primary_key.retain(|c| c != word);
            table.indexes.retain(|i| i.parts.iter().all(|p| p.column.as_deref() != Some(word)));
        }
    }
}

/// `COLUMN… -> TABLE COLUMN…`
fn reference(text: &str) -> ForeignKey {
    let (own, to) = text.split_once("->").unwrap_or_else(|| panic!("`{text}` refers to nothing"));
    let mut to = words(to).into_iter();
    ForeignKey { columns: words(own), table: to.next().unwrap_or_default(), to: to.collect(), ..ForeignKey::default() }
}

/// `ROLE PRIVILEGE…`
fn grant(text: &str) -> Grant {
    let mut words = words(text).into_iter();
    Grant { to: words.next().unwrap_or_default(), columns: Vec::new(), privileges: words.collect() }
}

/// `NAME COMMAND CONDITION`
fn policy(text: &str) -> Policy {
    let mut parts = text.splitn(3, ' ').map(str::to_owned);
    let mut next = || parts.next().unwrap_or_default();
    let (name, command, sees) = (next(), next(), Some(next()));
    Policy { name, command, sees, restrictive: false, roles: Vec::new(), writes: None }
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
    let mut words = quoted_words(rest).into_iter();
    let spelled = words.next().unwrap_or_else(|| panic!("{name} has no type"));
    column.column_type = ColumnType { enforced: table.engine != Engine::Sqlite, ..column_type(&spelled) };
    table.foreign_keys.retain(|k| k.columns != [name]);
    while let Some(word) = words.next() {
        let mut next = || words.next().unwrap_or_else(|| panic!("{name}: nothing stands behind `{word}`"));
        let own = |table: &mut Table, set: &dyn Fn(&mut ForeignKey)| {
            table.foreign_keys.iter_mut().filter(|k| k.columns == [name]).for_each(set);
        };
        match word.as_str() {
            "key" => {
                column.nullable = false;
                if !table.primary_key.iter().any(|c| c == name) {
                    table.primary_key.push(name.to_owned());
                }
            }
            "required" => column.nullable = false,
            "unique" => table.uniques.push(Unique { columns: vec![name.to_owned()], ..Unique::default() }),
            "default" => column.default = Some(next()),
            "numbered" => column.auto = true,
            "generated" => column.generated = Some(Generated { expression: next(), stored: true }),
            "collate" => column.collation = Some(next()),
            "comment" => column.comment = Some(next().trim_matches('\'').to_owned()),
            "->" => {
                let to = next();
                let (table_to, to) = to.split_once('.').map_or((to.as_str(), Vec::new()), |(t, c)| (t, vec![c.to_owned()]));
                table.foreign_keys.push(ForeignKey {
                    columns: vec![name.to_owned()],
                    table: table_to.to_owned(),
                    to,
                    ..ForeignKey::default()
                });
            }
            "cascade" => own(table, &|key| key.on_delete = Some("CASCADE".to_owned())),
            "empties" => own(table, &|key| key.on_delete = Some("SET NULL".to_owned())),
            other => panic!("{name}: `{other}` means nothing"),
        }
    }
    match table.columns.iter_mut().find(|c| c.name == name) {
        Some(known) => *known = column,
        None => table.columns.push(column),
    }
}

/// Words; what stands in `'…'` is one, quotes and all.
fn quoted_words(text: &str) -> Vec<String> {
    let mut all = Vec::new();
    let mut rest = text.trim();
    while !rest.is_empty() {
        let quoted = rest.starts_with('\'').then(|| rest[1..].find('\'').map(|at| at + 2)).flatten();
        let end = quoted.or_else(|| rest.find(' ')).unwrap_or(rest.len());
        let (word, behind) = rest.split_at(end);
        all.push(word.to_owned());
        rest = behind.trim_start();
    }
    all
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
        "moment" | "zoned" => Kind::DateTime,
        "bytes" => Kind::Binary,
        "json" | "jsonb" => Kind::Json,
        "set" => Kind::Set,
        other => panic!("`{other}` is no type"),
    };
    let mut sizes = sizes.trim_end_matches(')').split(',').map(|n| n.trim().parse::<u32>().ok());
    let size = sizes.next().flatten();
    ColumnType { scale: sizes.next().flatten(), zone: word == "zoned", ..ColumnType::of(kind, spelled).sized(size) }
}
