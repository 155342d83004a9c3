//! What the database declares of a column beyond its type: its values, its least and greatest, its length.

use crate::definition::{Node, Value};
use crate::name::{self, same};
use crate::schema::{Column, Kind, Schema, Table};
use crate::sql::{self, Says};

/// What forms have to keep to.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct Declared {
    /// The values it may have; none where there is no list.
    pub values: Vec<String>,
    /// The least value.
    pub least: Option<String>,
    /// The greatest value.
    pub greatest: Option<String>,
    /// Most characters.
    pub longest: Option<i64>,
}

impl Declared {
    /// Of every column of a table that something is declared of, read once a table.
    pub fn of_table(schema: &Schema, table: &Table) -> Vec<(String, Declared)> {
        let mut all: Vec<(String, Declared)> = Vec::new();
        for column in &table.columns {
            let values = enumerated(schema, column);
            let longest = (column.column_type.kind == Kind::Text)
                .then_some(column.column_type.size)
                .flatten()
                // What an engine can hold at most is nobody's limit.
                .filter(|size| *size < 65_535)
                .map(i64::from);
            if !values.is_empty() || longest.is_some() {
                all.push((column.name.clone(), Declared { values, longest, ..Declared::default() }));
            }
        }
        for check in table.checks.iter().filter(|c| c.expression.len() < 4000) {
            for (column, says) in sql::limits(&check.expression, schema.engine) {
                let at = all.iter().position(|(known, _)| same(known, &column)).unwrap_or_else(|| {
                    all.push((column.clone(), Declared::default()));
                    all.len() - 1
                });
                let Some((_, declared)) = all.get_mut(at) else { continue };
                match says {
                    Says::OneOf(values) if declared.values.is_empty() => declared.values = values,
                    Says::OneOf(values) => declared.values.retain(|v| values.contains(v)),
                    Says::AtLeast(least) => declared.least = Some(least),
                    Says::AtMost(greatest) => declared.greatest = Some(greatest),
                    Says::AtMostLong(longest) => declared.longest = Some(declared.longest.map_or(longest, |known| known.min(longest))),
                }
            }
        }
        all
    }
}

/// The values of an enumerated type, and the members of a set.
fn enumerated(schema: &Schema, column: &Column) -> Vec<String> {
    if !matches!(column.column_type.kind, Kind::Enum | Kind::Set) {
        return Vec::new();
    }
    let original = &column.column_type.original;
    if let Some(known) = schema.objects.enums.iter().find(|e| same(&e.name, &name::read_table(original))) {
        return known.values.clone();
    }
    let Some(list) = original.find('(').and_then(|at| original.get(at + 1..original.rfind(')')?)) else { return Vec::new() };
    // 'it''s' is one value.
    let mut values = Vec::new();
    let mut rest = list;
    while let Some(start) = rest.find('\'') {
        let mut value = String::new();
        let mut end = start + 1;
        while let Some(next) = rest.get(end..).and_then(|r| r.find('\'')) {
            value.push_str(&rest[end..end + next]);
            end += next + 1;
            if rest[end..].starts_with('\'') {
                value.push('\'');
                end += 1;
            } else {
                break;
            }
        }
        values.push(value);
        rest = &rest[end.min(rest.len())..];
    }
    values
}

/// A value of the database as the definition writes it: a number where the column holds numbers.
pub(super) fn scalar(text: &str, kind: Kind) -> Node {
    match kind {
        Kind::Integer | Kind::Decimal | Kind::Float => match text.parse::<i64>() {
            Ok(number) => Node::from(number),
            Err(_) if text.parse::<f64>().is_ok() && text.contains('.') => Node::new(Value::Other(text.to_owned())),
            Err(_) => Node::text(text),
        },
        _ => Node::text(text),
    }
}

/// A column's default, where it is a plain value that a form can start with.
pub(super) fn plain_default(column: &Column) -> Option<Node> {
    let text = column.default.as_deref()?.trim();
    let text = text.trim_start_matches('(').trim_end_matches(')').trim();
    if column.column_type.kind == Kind::Boolean {
        return match text.to_ascii_lowercase().as_str() {
            "1" | "true" | "b'1'" => Some(Node::from(true)),
            _ => None,
        };
    }
    if let Some(quoted) = text.strip_prefix('\'') {
        let end = quoted.find('\'')?;
        let cast = quoted.get(end + 1..)?;
        let simple = cast.is_empty() || cast.starts_with("::");
        return (simple && end > 0).then(|| scalar(&quoted[..end], column.column_type.kind));
    }
    let is_number = !text.is_empty() && text.parse::<f64>().is_ok() && !text.chars().any(char::is_alphabetic);
    (is_number && matches!(column.column_type.kind, Kind::Integer | Kind::Decimal | Kind::Float))
        .then(|| scalar(text, column.column_type.kind))
}
