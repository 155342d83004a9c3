//! Tables and indexes as their stored statements declare them: reading a statement takes a fifth of what asking by pragmas does. Read
//! is only what is written plainly, in words whose meaning is known; whatever else stands there, the pragmas are asked instead.

use super::ddl;
use super::tokens::{Token, items, tokens};
use std::collections::BTreeMap;
use ysomorph_core::schema::{Column, ColumnType, ForeignKey, Generated, Index, IndexPart, Table, Unique};

/// Words of types. Any word may be one; these can't be taken for the beginning of something else.
const TYPES: &[&str] = &[
    "any",
    "big",
    "bigint",
    "binary",
    "bit",
    "blob",
    "bool",
    "boolean",
    "bytea",
    "char",
    "character",
    "clob",
    "date",
    "datetime",
    "dec",
    "decimal",
    "double",
    "float",
    "int",
    "int2",
    "int4",
    "int8",
    "integer",
    "json",
    "jsonb",
    "mediumint",
    "money",
    "native",
    "nchar",
    "number",
    "numeric",
    "nvarchar",
    "precision",
    "real",
    "smallint",
    "string",
    "text",
    "time",
    "timestamp",
    "tinyint",
    "unsigned",
    "uuid",
    "varbinary",
    "varchar",
    "varying",
    "year",
];

/// Types that the pragmas tell in capitals, however they are written.
const USUAL: &[&str] = &["ANY", "BLOB", "INT", "INTEGER", "REAL", "TEXT"];

/// Values without quotes that a default may be.
const VALUES: &[&str] = &["current_date", "current_time", "current_timestamp", "false", "null", "true"];

/// Reads one token after the other; nothing where another one stands there.
struct Words<'a, 'b> {
    sql: &'a str,
    tokens: &'b [Token<'a>],
}

impl<'a> Words<'a, '_> {
    fn is(&self, word: &str) -> bool {
        self.tokens.first().is_some_and(|token| token.is(word))
    }

    fn next(&mut self) -> Option<Token<'a>> {
        let (first, rest) = self.tokens.split_first()?;
        self.tokens = rest;
        Some(*first)
    }

    /// Whether these words come next; they are taken then.
    fn take(&mut self, words: &[&str]) -> bool {
        let are_there = self.tokens.len() >= words.len() && self.tokens.iter().zip(words).all(|(token, word)| token.is(word));
        if are_there {
            self.tokens = &self.tokens[words.len()..];
        }
        are_there
    }

    fn expect(&mut self, words: &[&str]) -> Option<()> {
        self.take(words).then_some(())
    }

    /// A name, bare or in quotes without further ones inside. What stands in the quotes of a text isn't taken for one.
    fn name(&mut self) -> Option<&'a str> {
        let text = self.next()?.text;
        let within = |close: char| {
            let inner = text.get(1..)?.strip_suffix(close)?;
            (!inner.is_empty() && !inner.contains(close)).then_some(inner)
        };
        match text.chars().next()? {
            '"' => within('"'),
            '`' => within('`'),
            '[' => within(']'),
            first if first.is_alphabetic() || first == '_' => Some(text),
            _ => None,
        }
    }

    /// Names in parentheses.
    fn names(&mut self) -> Option<Vec<&'a str>> {
        self.expect(&["("])?;
        let mut names = vec![self.name()?];
        while self.take(&[","]) {
            names.push(self.name()?);
        }
        self.expect(&[")"])?;
        Some(names)
    }

    /// The text in parentheses.
    fn inside(&mut self) -> Option<&'a str> {
        let open = self.next().filter(|token| token.text == "(")?;
        let length = self.tokens.iter().position(|token| token.text == ")" && token.depth == open.depth)?;
        let text = self.sql[open.end()..self.tokens[length].start].trim_matches(|c: char| c.is_ascii_whitespace());
        self.tokens = &self.tokens[length + 1..];
        Some(text)
    }
}

/// A table of a CREATE TABLE with the columns, keys and constraints of it, before indexes.
pub(super) fn table(name: &str, sql: &str, types: &mut BTreeMap<String, ColumnType>) -> Option<Table> {
    let tokens = tokens(sql);
    let mut head = Words { sql, tokens: &tokens };
    head.expect(&["create", "table"])?;
    head.name()?;
    head.expect(&["("])?;
    let close = head.tokens.iter().position(|token| token.depth == 0)?;
    let mut end = Words { sql, tokens: head.tokens.get(close + 1..)? };
    let mut table = Table { name: name.to_owned(), ..Table::default() };
    while !end.tokens.is_empty() {
        if end.take(&["strict"]) {
            table.strict = true;
        } else {
            end.expect(&["without", "rowid"])?;
            table.without_rowid = true;
        }
        if !end.tokens.is_empty() {
            end.expect(&[","])?;
        }
    }
    let mut reader = Declared { table, key: None, has_checks: false, has_numbers: false, types };
    for item in items(&tokens) {
        reader.item(Words { sql, tokens: item })?;
    }
    reader.finished(sql)
}

/// An index of a CREATE INDEX over columns of a table, all of its records.
pub(super) fn index(name: &str, sql: &str, table: &Table) -> Option<Index> {
    let tokens = tokens(sql);
    let mut words = Words { sql, tokens: &tokens };
    words.expect(&["create"])?;
    let unique = words.take(&["unique"]);
    words.expect(&["index"])?;
    words.name()?;
    words.expect(&["on"])?;
    words.name()?;
    words.expect(&["("])?;
    let mut parts: Vec<IndexPart> = Vec::new();
    loop {
        let column = column_of(table, words.name()?)?;
        if parts.iter().any(|part| part.column.as_ref() == Some(&column)) {
            return None;
        }
        let order = words.take(&["desc"]).then(|| "desc".to_owned());
        if order.is_none() {
            words.take(&["asc"]);
        }
        parts.push(IndexPart { column: Some(column), expression: None, order });
        if words.take(&[")"]) {
            break;
        }
        words.expect(&[","])?;
    }
    words.tokens.is_empty().then(|| Index { name: name.to_owned(), parts, unique, ..Index::default() })
}

/// A column by its name as others write it.
fn column_of(table: &Table, name: &str) -> Option<String> {
    table.columns.iter().find(|column| column.name.eq_ignore_ascii_case(name)).map(|column| column.name.clone())
}

/// A table while its statement is read.
struct Declared<'t> {
    table: Table,
    /// The columns of the primary key.
    key: Option<Vec<String>>,
    /// Whether it has checks, and numbers that are never given again.
    has_checks: bool,
    has_numbers: bool,
    /// The declarations met before: most tables use the same few.
    types: &'t mut BTreeMap<String, ColumnType>,
}

impl Declared<'_> {
    fn item(&mut self, mut words: Words<'_, '_>) -> Option<()> {
        if ["constraint", "primary", "unique", "check", "foreign"].iter().any(|word| words.is(word)) {
            return self.constraint(words);
        }
        let name = words.name()?.to_owned();
        if column_of(&self.table, &name).is_some() {
            return None;
        }
        let column_type = self.column_type(&mut words)?;
        let mut column = Column { name, column_type, nullable: true, ..Column::default() };
        let mut reference: Option<ForeignKey> = None;
        while !words.tokens.is_empty() {
            if words.take(&["constraint"]) {
                words.name()?;
                if words.tokens.is_empty() {
                    return None;
                }
            } else if words.take(&["not", "null"]) {
                column.nullable = false;
            } else if words.take(&["null"]) {
            } else if words.take(&["primary", "key"]) {
                self.has_numbers |= words.take(&["autoincrement"]);
                self.own_key(vec![column.name.clone()])?;
            } else if words.take(&["unique"]) {
                self.table.uniques.push(Unique { columns: vec![column.name.clone()], ..Unique::default() });
            } else if words.take(&["default"]) {
                column.default = Some(default(&mut words)?).filter(|value| !value.eq_ignore_ascii_case("null"));
            } else if words.take(&["check"]) {
                self.has_checks = true;
                words.inside()?;
            } else if words.take(&["collate"]) {
                let collation = words.name()?.to_uppercase();
                if column.collation.replace(collation).is_some() {
                    return None;
                }
            } else if words.take(&["generated", "always", "as"]) || words.take(&["as"]) {
                let expression = words.inside()?.to_owned();
                let stored = words.take(&["stored"]);
                if !stored {
                    words.take(&["virtual"]);
                }
                column.generated = Some(Generated { expression, stored });
            } else if words.take(&["references"]) {
                let earlier = reference.replace(references(vec![column.name.clone()], &mut words)?);
                self.table.foreign_keys.extend(earlier);
            } else {
                deferred(&mut words, reference.as_mut()?)?;
            }
        }
        if column.generated.is_some() {
            column.default = None;
        }
        self.table.foreign_keys.extend(reference);
        self.table.columns.push(column);
        Some(())
    }

    fn column_type(&mut self, words: &mut Words<'_, '_>) -> Option<ColumnType> {
        let begins = words.tokens.first().map_or(0, |token| token.start);
        let mut ends = begins;
        while let Some(token) = words.tokens.first().filter(|token| TYPES.iter().any(|word| token.is(word))) {
            ends = token.end();
            words.next();
        }
        if ends > begins && words.is("(") {
            words.next();
            while let Some(token) = words.next() {
                if token.text == ")" {
                    ends = token.end();
                    break;
                }
                if token.text != "," && !token.text.bytes().all(|byte| byte.is_ascii_digit()) {
                    return None;
                }
            }
        }
        // The pragmas tell what stands before this with the type, where it is more than white space.
        let is_apart = |token: &Token<'_>| !words.sql[ends..token.start].trim_ascii().is_empty();
        if words.is("generated") && words.tokens.first().is_some_and(is_apart) {
            return None;
        }
        let written = &words.sql[begins..ends];
        let declared = USUAL.iter().find(|usual| written.eq_ignore_ascii_case(usual)).copied().unwrap_or(written);
        if !self.types.contains_key(declared) {
            self.types.insert(declared.to_owned(), ColumnType::from_declaration(declared, false));
        }
        let known = self.types.get(declared)?;
        Some(ColumnType { enforced: self.table.strict, ..known.clone() })
    }

    fn constraint(&mut self, mut words: Words<'_, '_>) -> Option<()> {
        if words.take(&["constraint"]) {
            words.name()?;
        }
        if words.take(&["primary", "key"]) {
            let columns = self.own_columns(&words.names()?)?;
            self.own_key(columns)?;
        } else if words.take(&["unique"]) {
            let columns = self.own_columns(&words.names()?)?;
            self.table.uniques.push(Unique { columns, ..Unique::default() });
        } else if words.take(&["check"]) {
            self.has_checks = true;
            words.inside()?;
        } else {
            words.expect(&["foreign", "key"])?;
            let columns = self.own_columns(&words.names()?)?;
            words.expect(&["references"])?;
            let mut key = references(columns, &mut words)?;
            while !words.tokens.is_empty() {
                deferred(&mut words, &mut key)?;
            }
            self.table.foreign_keys.push(key);
        }
        words.tokens.is_empty().then_some(())
    }

    fn own_key(&mut self, columns: Vec<String>) -> Option<()> {
        self.key.replace(columns).is_none().then_some(())
    }

    /// Columns of the table, each once.
    fn own_columns(&self, names: &[&str]) -> Option<Vec<String>> {
        let columns: Option<Vec<String>> = names.iter().map(|name| column_of(&self.table, name)).collect();
        columns.filter(|columns| (1..columns.len()).all(|at| !columns[..at].contains(&columns[at])))
    }

    fn finished(self, sql: &str) -> Option<Table> {
        let Declared { mut table, key, has_checks, has_numbers, .. } = self;
        table.primary_key = key.unwrap_or_default();
        let same = |unique: &Unique| {
            unique.columns.len() == table.primary_key.len() && unique.columns.iter().all(|column| table.primary_key.contains(column))
        };
        // One index serves both, and which of them it is told for hangs on more.
        if table.uniques.iter().any(same) || table.columns.is_empty() {
            return None;
        }
        if table.strict || table.without_rowid {
            let Table { columns, primary_key, .. } = &mut table;
            columns.iter_mut().filter(|column| primary_key.contains(&column.name)).for_each(|column| column.nullable = false);
        }
        if has_checks {
            table.checks = ddl::checks(sql);
        }
        if has_numbers {
            table.options = ddl::options(sql);
        }
        table.foreign_keys.sort();
        Some(table)
    }
}

/// The value of a DEFAULT as it is written.
fn default(words: &mut Words<'_, '_>) -> Option<String> {
    if words.is("(") {
        return words.inside().map(str::to_owned);
    }
    let first = *words.tokens.first()?;
    let (begins, mut ends) = (first.start, first.start);
    // A number is several tokens, side by side.
    while let Some(token) = words.tokens.first().filter(|token| token.start == ends && token.text != ",") {
        ends = token.end();
        words.next();
    }
    let text = &words.sql[begins..ends];
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
    let number = text.strip_prefix('-').unwrap_or(text);
    let is_number = number.split_once('.').map_or_else(|| digits(number), |(whole, part)| digits(whole) && digits(part));
    let is_text = text == first.text && text.starts_with('\'');
    (is_number || is_text || VALUES.iter().any(|value| text.eq_ignore_ascii_case(value))).then(|| text.to_owned())
}

/// What follows REFERENCES.
fn references(columns: Vec<String>, words: &mut Words<'_, '_>) -> Option<ForeignKey> {
    let mut key = ForeignKey { columns, table: words.name()?.to_owned(), ..ForeignKey::default() };
    if words.is("(") {
        key.to = words.names()?.into_iter().map(str::to_owned).collect();
    }
    while words.take(&["on"]) {
        let is_delete = words.take(&["delete"]);
        if !is_delete {
            words.expect(&["update"])?;
        }
        let actions: [(&[&str], Option<&str>); 5] = [
            (&["cascade"], Some("CASCADE")),
            (&["restrict"], Some("RESTRICT")),
            (&["set", "null"], Some("SET NULL")),
            (&["set", "default"], Some("SET DEFAULT")),
            (&["no", "action"], None),
        ];
        let action = actions.into_iter().find(|(action, _)| words.take(action))?.1.map(str::to_owned);
        *(if is_delete { &mut key.on_delete } else { &mut key.on_update }) = action;
    }
    (key.to.is_empty() || key.to.len() == key.columns.len()).then_some(key)
}

/// When a key is checked.
fn deferred(words: &mut Words<'_, '_>, key: &mut ForeignKey) -> Option<()> {
    if !words.take(&["not", "deferrable"]) {
        words.expect(&["deferrable"])?;
        key.deferrable = true;
    }
    key.deferred |= words.take(&["initially", "deferred"]);
    words.take(&["initially", "immediate"]);
    Some(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_most_people_write_is_plain() {
        for (sql, is_plain) in [
            ("CREATE TABLE t (id INTEGER PRIMARY KEY AUTOINCREMENT, name VARCHAR(40) NOT NULL DEFAULT '', made timestamp)", true),
            (
                "CREATE TABLE \"t\" (\n  a int references u (id) on delete set null, -- why\n  b text collate nocase unique,\n  check (a > 0)\n)",
                true,
            ),
            ("CREATE TABLE t (a INT, b INT, CONSTRAINT k PRIMARY KEY (a, b), FOREIGN KEY (b) REFERENCES u) WITHOUT ROWID, STRICT", true),
            ("CREATE TABLE t (a DECIMAL(8, 2) DEFAULT (0), b INT GENERATED ALWAYS AS (a * 2) STORED)", true),
            ("CREATE TABLE t (a INT PRIMARY KEY, UNIQUE (a))", false),
            ("CREATE TABLE t (a INT NOT NULL ON CONFLICT FAIL)", false),
            ("CREATE TABLE t (a geometry)", false),
            ("CREATE VIRTUAL TABLE t USING fts5(a)", false),
        ] {
            assert_eq!(table("t", sql, &mut BTreeMap::new()).is_some(), is_plain, "{sql}");
        }
    }
}
