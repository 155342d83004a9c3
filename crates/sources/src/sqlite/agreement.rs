//! What is read of stored statements is what the pragmas tell: statements as people write them, at random. `YSOMORPH_CASES` runs more,
//! from `YSOMORPH_FIRST`.

use super::stored::table;
use super::{prepare_connection, read_by};
use rusqlite::Connection;
use std::collections::BTreeMap;
use ysomorph_core::schema::Schema;

/// Choices one after the other, from a number.
struct Random(u64);

impl Random {
    fn below(&mut self, limit: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(self.0 >> 33).unwrap_or_default() % limit
    }

    fn pick<'t>(&mut self, of: &[&'t str]) -> &'t str {
        of[self.below(of.len())]
    }
}

/// A database made by these statements, as far as SQLite takes them; nothing where it doesn't take the first.
fn made(statements: &[String]) -> Option<Connection> {
    let connection = Connection::open_in_memory().unwrap();
    prepare_connection(&connection).unwrap();
    let (first, more) = statements.split_first()?;
    connection.execute_batch(first).ok()?;
    more.iter().for_each(|statement| drop(connection.execute_batch(statement)));
    Some(connection)
}

/// A schema by its statements and by the pragmas alone.
fn both(connection: &Connection) -> (Schema, Schema) {
    (read_by(connection, true).unwrap(), read_by(connection, false).unwrap())
}

const NAMES: &[&str] = &["a", "b", "C", "d_1", "\"two words\"", "[e f]", "`g`", "größe", "\"select\"", "key", "\"q\"\"q\"", "'s'", "A"];
const DECLARED: &[&str] = &[
    "",
    "int",
    "INTEGER",
    "integer",
    "Text",
    "VARCHAR(20)",
    "varchar ( 20 )",
    "DECIMAL(8, 2)",
    "double precision",
    "UNSIGNED BIG INT",
    "\"odd type\"",
    "timestamp with time zone",
    "any",
    "BLOB",
    "int /* c */",
    "character varying(3)",
    "DECIMAL(+8,-2)",
    "geometry",
];
const SAID: &[&str] = &[
    "",
    "",
    "",
    "NOT NULL",
    "NULL",
    "PRIMARY KEY",
    "primary key asc",
    "PRIMARY KEY AUTOINCREMENT",
    "PRIMARY KEY DESC",
    "UNIQUE",
    "UNIQUE ON CONFLICT REPLACE",
    "NOT NULL ON CONFLICT IGNORE",
    "DEFAULT 1",
    "DEFAULT -1.50",
    "DEFAULT - 2",
    "DEFAULT +3",
    "DEFAULT 'x'",
    "DEFAULT 'it''s, so'",
    "DEFAULT NULL",
    "default current_timestamp",
    "DEFAULT (1 + (2))",
    "DEFAULT ( 'a' )",
    "DEFAULT x'0f'",
    "DEFAULT 0x1F",
    "DEFAULT 1e5",
    "DEFAULT .5",
    "DEFAULT true",
    "DEFAULT \"word\"",
    "DEFAULT word",
    "COLLATE nocase",
    "COLLATE \"RTRIM\"",
    "CHECK (a > 1)",
    "CONSTRAINT big CHECK (a IN (1, 2) AND b)",
    "CONSTRAINT n NOT NULL",
    "REFERENCES t",
    "REFERENCES T (a)",
    "references \"t\" ( a ) on delete cascade on update set null",
    "REFERENCES t ON DELETE NO ACTION",
    "REFERENCES t MATCH FULL",
    "REFERENCES t (a) DEFERRABLE INITIALLY DEFERRED",
    "REFERENCES t NOT DEFERRABLE",
    "REFERENCES t DEFERRABLE INITIALLY IMMEDIATE",
    "GENERATED ALWAYS AS (1 + 1)",
    "AS (upper('x')) STORED",
    "generated always as (2) virtual",
    "-- said\n",
    "/* said */",
    "DEFAULT 1CHECK(a)",
    "CONSTRAINT alone",
    "NOT DEFERRABLE",
    "REFERENCES nowhere(x) ON DELETE RESTRICT",
    "REFERENCES t ON INSERT CASCADE",
];
const OVER_ALL: &[&str] = &[
    "PRIMARY KEY (a)",
    "PRIMARY KEY (b, A)",
    "primary key (\"a\" desc)",
    "PRIMARY KEY (a COLLATE nocase)",
    "UNIQUE (a)",
    "UNIQUE (b, a)",
    "CONSTRAINT one UNIQUE (c)",
    "UNIQUE (a, a)",
    "UNIQUE (a) ON CONFLICT ABORT",
    "CHECK (a < b)",
    "CONSTRAINT two CHECK (a = ')')",
    "FOREIGN KEY (A) REFERENCES t (a)",
    "FOREIGN KEY (a, b) REFERENCES u ON UPDATE SET DEFAULT DEFERRABLE INITIALLY DEFERRED",
    "CONSTRAINT f FOREIGN KEY (b) REFERENCES t (b) NOT DEFERRABLE INITIALLY IMMEDIATE",
    "UNIQUE (a) UNIQUE (b)",
    "UNIQUE ('a')",
];
const ENDS: &[&str] = &["", "", "", "", " STRICT", " WITHOUT ROWID", " strict, without rowid", " -- end", " WITHOUT ROWID, STRICT"];
const INDEXES: &[&str] = &[
    "CREATE INDEX i0 ON t (a)",
    "create unique index I1 on T (\"b\", a desc)",
    "CREATE INDEX i2 ON t (a COLLATE nocase)",
    "CREATE INDEX i3 ON t (a) WHERE a > 1",
    "CREATE UNIQUE INDEX i4 ON t (lower(a))",
    "CREATE INDEX IF NOT EXISTS i5 ON t ([a] ASC)",
    "CREATE INDEX i6 ON t (a, a)",
    "CREATE UNIQUE INDEX i7 ON t (a)",
    "CREATE UNIQUE INDEX i8 ON t (b) WHERE b IS NOT NULL",
    "CREATE INDEX \"i 9\" ON t (a /* x */, b)",
    "ALTER TABLE t ADD COLUMN late INT DEFAULT 5",
    "ALTER TABLE t RENAME COLUMN b TO \"b 2\"",
    "ALTER TABLE t RENAME TO \"t t\"",
    "CREATE TABLE u AS SELECT 1 AS a, 'x' AS \"b c\"",
    "CREATE VIEW v AS SELECT a FROM t",
];

/// Statements as people write them, sound or not.
fn statements(random: &mut Random) -> Vec<String> {
    let mut items = Vec::new();
    for _ in 0..=random.below(4) {
        let said: Vec<&str> = (0..random.below(3)).map(|_| random.pick(SAID)).collect();
        items.push(format!("{} {} {}", random.pick(NAMES), random.pick(DECLARED), said.join(" ")));
    }
    items.extend((0..random.below(2)).map(|_| random.pick(OVER_ALL).to_owned()));
    let begins = random.pick(&["CREATE TABLE", "create table if not exists", "CREATE  TABLE"]);
    let between = random.pick(&[", ", ",", "\n ,\n"]);
    let mut statements = vec![format!("{begins} t ({}){}", items.join(between), random.pick(ENDS))];
    statements.extend((0..random.below(4)).map(|_| random.pick(INDEXES).to_owned()));
    statements
}

#[test]
fn what_is_read_of_statements_is_what_the_pragmas_tell() {
    let number = |name: &str, otherwise: u64| std::env::var(name).ok().and_then(|n| n.parse().ok()).unwrap_or(otherwise);
    let first = number("YSOMORPH_FIRST", 1);
    let (mut taken, mut plain) = (0, 0);
    for seed in first..first + number("YSOMORPH_CASES", 20_000) {
        let statements = statements(&mut Random(seed.wrapping_mul(0x9e37_79b9_7f4a_7c15)));
        let Some(connection) = made(&statements) else { continue };
        taken += 1;
        let (stored, told) = both(&connection);
        assert!(stored == told, "YSOMORPH_FIRST={seed}: {statements:#?}\n{}\n{}", stored.to_snapshot(), told.to_snapshot());
        let sql: String = connection.query_row("SELECT sql FROM sqlite_schema WHERE type = 'table'", [], |row| row.get(0)).unwrap();
        plain += u32::from(table("t", &sql, &mut BTreeMap::new()).is_some());
    }
    assert!(taken > 2_000 && plain > taken / 5, "{plain} plain of {taken} that SQLite takes");
}
