//! Each single change of a database is reported as exactly that change; copies and other spellings as none.

use rusqlite::Connection;
use ysomorph_core::changes::{Comparison, compare};
use ysomorph_core::rename::{Evidence, Known};
use ysomorph_core::schema::Schema;
use ysomorph_sources::sqlite::{prepare_connection, read_from};

const SQL: &str = "
CREATE TABLE region (id INTEGER PRIMARY KEY, code VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(40) NOT NULL);
CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, phone VARCHAR(20), region_id INTEGER REFERENCES region (id), age INT DEFAULT 18, weight NUMERIC(5,2), born DATE, CHECK (age > 0));
CREATE TABLE visit (keeper_id INTEGER NOT NULL REFERENCES keeper (id) ON DELETE CASCADE, day DATE NOT NULL, twice INTEGER GENERATED ALWAYS AS (keeper_id * 2), PRIMARY KEY (keeper_id, day)) WITHOUT ROWID;
CREATE UNIQUE INDEX by_phone ON keeper (phone) WHERE phone IS NOT NULL;
CREATE VIEW adults AS SELECT id, name FROM keeper WHERE age > 17;
CREATE TRIGGER t AFTER INSERT ON keeper BEGIN UPDATE region SET name = name WHERE id = NEW.region_id; END;
";

fn schema(sql: &str) -> Schema {
    let connection = Connection::open_in_memory().unwrap();
    connection.execute_batch(sql).unwrap_or_else(|e| panic!("{e}: {sql}"));
    prepare_connection(&connection).unwrap();
    read_from(&connection).unwrap()
}

fn told(comparison: &Comparison) -> Vec<String> {
    comparison
        .changes
        .iter()
        .map(|c| format!("{} {}{}", c.kind.name(), c.subject(), c.to.as_ref().map_or(String::new(), |t| format!(" → {t}"))))
        .collect()
}

#[test]
fn each_single_change_is_told_as_exactly_that() {
    let whole = |from: &str, to: &str| SQL.replacen(from, to, 1);
    let cases: &[(String, &[&str])] = &[
        (SQL.to_owned(), &[]),
        // Spellings, order of tables and constraints, and the engine's own names are no changes.
        (whole("VARCHAR(60)", "character varying (60)"), &[]),
        (whole("age INT DEFAULT", "age INTEGER DEFAULT"), &[]),
        (whole("NUMERIC(5,2)", "DECIMAL(5, 2)"), &[]),
        (whole("CHECK (age > 0)", "CHECK ( \"AGE\">0 )"), &[]),
        (whole("REFERENCES region (id), age", "REFERENCES region, age"), &[]),
        (whole("SELECT id, name FROM keeper", "select id , name\n from keeper"), &[]),
        (whole("CREATE UNIQUE INDEX by_phone", "CREATE UNIQUE INDEX other_name"), &[]),
        (whole("born DATE, CHECK", "born DATE DEFAULT NULL, CHECK"), &[]),
        // And each of these is one.
        (whole("VARCHAR(20)", "VARCHAR(21)"), &["type-changed keeper.phone"]),
        (whole("born DATE", "born TEXT"), &["type-changed keeper.born"]),
        (whole("phone VARCHAR(20)", "phone VARCHAR(20) NOT NULL"), &["became-required keeper.phone"]),
        (whole("name VARCHAR(60) NOT NULL", "name VARCHAR(60)"), &["became-optional keeper.name"]),
        (whole("DEFAULT 18", "DEFAULT 21"), &["default-changed keeper.age"]),
        (whole("DEFAULT 18", ""), &["default-changed keeper.age"]),
        (whole("(keeper_id * 2)", "(keeper_id * 3)"), &["generated-changed visit.twice"]),
        (
            whole("id INTEGER PRIMARY KEY, code", "id INTEGER NOT NULL, code").replace(
                "(id INTEGER NOT NULL, code VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(40) NOT NULL)",
                "(id INTEGER NOT NULL UNIQUE, code VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(40) NOT NULL)",
            ),
            &["primary-key-changed region", "unique-added region", "generated-changed region.id"],
        ),
        (whole(" REFERENCES region (id)", ""), &["foreign-key-dropped keeper"]),
        (whole(" ON DELETE CASCADE", ""), &["foreign-key-added visit", "foreign-key-dropped visit"]),
        (whole("NOT NULL UNIQUE", "NOT NULL"), &["unique-dropped region"]),
        (whole("WHERE phone IS NOT NULL", ""), &["unique-added keeper", "index-dropped by_phone on keeper"]),
        (whole("age > 0", "age > 1"), &["check-added keeper", "check-dropped keeper"]),
        (whole("age > 17", "age > 20"), &["view-changed adults"]),
        (whole("SELECT id, name FROM", "SELECT id, name, age FROM"), &["view-changed adults", "column-added adults.age"]),
        (whole("SET name = name WHERE", "SET code = code WHERE"), &["trigger-changed t on keeper"]),
        (whole(" WITHOUT ROWID", ""), &["options-changed visit"]),
        (format!("{SQL}; CREATE TABLE extra (x)"), &["table-added extra"]),
        (format!("{SQL}; DROP VIEW adults"), &["table-dropped adults"]),
        (format!("{SQL}; DROP VIEW adults; CREATE TABLE adults (id INTEGER, name VARCHAR(60))"), &["table-kind-changed adults"]),
        (format!("{SQL}; ALTER TABLE keeper ADD COLUMN shoe INTEGER"), &["column-added keeper.shoe"]),
        (format!("{SQL}; ALTER TABLE keeper DROP COLUMN born"), &["column-dropped keeper.born"]),
        (format!("{SQL}; ALTER TABLE keeper RENAME COLUMN phone TO phone_no"), &["column-renamed keeper.phone → phone_no"]),
        (format!("{SQL}; ALTER TABLE region RENAME TO area"), &["table-renamed region → area"]),
        (
            format!("{SQL}; ALTER TABLE region RENAME TO area; ALTER TABLE area RENAME COLUMN code TO short_code"),
            &["table-renamed region → area", "column-renamed region.code → short_code"],
        ),
    ];
    let before = schema(SQL);
    for (sql, expected) in cases {
        let comparison = compare(&before, &schema(sql), &Known::default());
        let told = told(&comparison);
        assert_eq!(told.iter().map(String::as_str).collect::<Vec<_>>(), *expected, "{sql}");
        let copy = Schema::from_snapshot(&before.to_snapshot()).unwrap();
        assert_eq!(copy, before, "a snapshot reads back as it was");
    }
}

/// Without a catalogue's numbers only the types tell that two columns changed places, or that one took another's name:
/// it is asked, never presumed.
#[test]
fn swaps_chains_splits_and_joins_are_recognised_and_asked() {
    let table = |columns: &str| schema(&format!("CREATE TABLE t (id INTEGER PRIMARY KEY, {columns}, last BLOB)"));
    /// Columns before and after, what is offered for each lost one, and a reason given.
    type Case = (&'static str, &'static str, &'static [(&'static str, &'static str)], &'static str);
    let cases: &[Case] = &[
        ("a TEXT, b DATE", "b TEXT, a DATE", &[("a", "b"), ("b", "a")], "changed places"),
        ("a TEXT, b DATE", "b TEXT, c DATE", &[("a", "b"), ("b", "c")], ""),
        ("name TEXT, x INT", "first_name TEXT, last_name TEXT, x INT", &[("name", "first_name"), ("name", "last_name")], "split"),
        ("first_name TEXT, last_name TEXT, x INT", "name TEXT, x INT", &[("first_name", "name"), ("last_name", "name")], "joined"),
    ];
    for (before, after, offered, reason) in cases {
        let comparison = compare(&table(before), &table(after), &Known::default());
        for (lost, new) in *offered {
            let rename = comparison.renames.iter().find(|r| r.column.as_deref() == Some(lost));
            let rename = rename.unwrap_or_else(|| panic!("{before} to {after}: nothing is asked of {lost}: {:?}", comparison.renames));
            assert!(rename.candidates.iter().any(|c| c == new), "{before} to {after}: {rename:?}");
            assert!(!rename.taken, "{rename:?}");
        }
        let told = comparison.renames.iter().any(|r| r.evidence.reasons().iter().any(|why| why.contains(reason)));
        assert!(told, "{before} to {after}: {:?}", comparison.renames);
    }
    // A type that changed, and nothing that would explain it as a swap.
    let comparison = compare(&table("a TEXT, b DATE"), &table("a INT, b DATE"), &Known::default());
    assert!(comparison.renames.is_empty() && comparison.changes.len() == 1, "{:?}", comparison.renames);
}

/// Lost column, new columns, what is presumed: a name, or nothing where two are too close or none is alike.
#[test]
fn renames_are_presumed_only_without_a_close_rival_and_never_certain_by_likeness() {
    let cases: &[(&str, &[&str], Option<&str>)] = &[
        ("postcode TEXT", &["postal_code TEXT"], Some("postal_code")),
        ("member_no INTEGER", &["member_number INTEGER"], Some("member_number")),
        ("qty INTEGER", &["quantity INTEGER"], Some("quantity")),
        ("honey_kg DECIMAL(8,2)", &["honey_g INTEGER"], Some("honey_g")),
        ("lastName TEXT", &["last_name TEXT"], Some("last_name")),
        ("phone TEXT", &["phone_home TEXT", "phone_work TEXT"], None),
        ("street TEXT", &["street_name TEXT", "iban TEXT"], Some("street_name")),
        ("notes TEXT", &["row_count INTEGER NOT NULL DEFAULT 0"], None),
    ];
    for (lost, new, presumed) in cases {
        let before = schema(&format!("CREATE TABLE t (id INTEGER PRIMARY KEY, first TEXT, {lost}, last TEXT)"));
        let after = schema(&format!("CREATE TABLE t (id INTEGER PRIMARY KEY, first TEXT, {}, last TEXT)", new.join(", ")));
        let comparison = compare(&before, &after, &Known::default());
        let rename = comparison.renames.first();
        assert_eq!(rename.and_then(|r| r.to.as_deref()), *presumed, "{lost}: {:?}", comparison.renames);
        assert!(rename.is_none_or(|r| !r.taken && matches!(r.evidence, Evidence::Likely { .. })), "likeness alone is never taken");
        if presumed.is_none() && new.len() > 1 {
            assert_eq!(rename.map(|r| r.candidates.len()), Some(2), "both are offered");
        }
    }
}
