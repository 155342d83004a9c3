//! Rules on real databases and TOML: what the engine says, what is in the data, what stands in hand-written code. (Every rule
//! has its cases beside it, in core.)

use crate::support::Project;
use ysomorph_core::impact::RULES;

const SQL: &str = "
CREATE TABLE region (id INTEGER PRIMARY KEY, code VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(40) NOT NULL, active INTEGER NOT NULL DEFAULT 1);
CREATE TABLE keeper (id INTEGER PRIMARY KEY, last_name VARCHAR(60) NOT NULL, phone VARCHAR(20), region_code VARCHAR(8) REFERENCES region (code), born_on DATE, age INTEGER);
CREATE TABLE region_helper (region_id INTEGER NOT NULL REFERENCES region (id), keeper_id INTEGER NOT NULL REFERENCES keeper (id), PRIMARY KEY (region_id, keeper_id));
CREATE TABLE visit (id INTEGER PRIMARY KEY, keeper_id INTEGER NOT NULL REFERENCES keeper (id), day DATE NOT NULL, note VARCHAR(40));
CREATE VIEW grown_up AS SELECT id, last_name, age FROM keeper;
";

/// Appended to keeper.toml and app.toml: a restricted role with a row filter.
const ROLE: &str = "\n[access.guest]\nread = true\nrows = \"age > 17\"\nhide = [\"phone\"]\nread_only = [\"born_on\"]\n";

/// Rule; edits of keeper.toml; the change of the database; whether it fires, with the severity.
type Case = (&'static str, &'static [(&'static str, &'static str)], &'static str, Option<&'static str>);

const CHECK: &[(&str, &str)] = &[("[page.list]", "[check.old_enough]\nrule = \"age IS NULL OR age > 5\"\n\n[page.list]")];
const PHONE_REQUIRED: &[(&str, &str)] = &[("kind = \"phone\"", "kind = \"phone\"\nrequired = true")];
const PHONE_CHOICES: &[(&str, &str)] = &[("kind = \"phone\"", "kind = \"choice\"\nchoices = [{ value = \"a\" }, { value = \"b\" }]")];
const NAME_KEY: &[(&str, &str)] = &[("key = [\"id\"]", "key = [\"last_name\"]")];

const CASES: &[Case] = &[
    ("page/table-missing", &[], "ALTER TABLE keeper RENAME TO member", Some("break")),
    ("page/table-missing", &[], "DROP VIEW grown_up; CREATE VIEW grown_up AS SELECT id, last_name, size FROM keeper", Some("break")),
    ("page/table-missing", &[], "ALTER TABLE keeper RENAME COLUMN phone TO mobile", None),
    ("page/column-missing", &[], "ALTER TABLE keeper RENAME COLUMN phone TO mobile", Some("break")),
    ("page/column-missing", &[("column = \"phone\"", "column = \"phone\"\nhidden = true")], "ALTER TABLE keeper DROP COLUMN phone", None),
    ("page/key-missing", &[], "DROP VIEW grown_up; CREATE VIEW grown_up AS SELECT last_name, age FROM keeper", Some("break")),
    ("page/key-missing", &[], "DROP VIEW grown_up; CREATE VIEW grown_up AS SELECT id, last_name FROM keeper", None),
    (
        "page/required-column-absent",
        &[],
        "CREATE TABLE k AS SELECT * FROM keeper; DROP TABLE keeper; CREATE TABLE keeper (id INTEGER PRIMARY KEY, last_name VARCHAR(60) NOT NULL, phone VARCHAR(20), region_code VARCHAR(8) REFERENCES region (code), born_on DATE, age INTEGER, iban TEXT NOT NULL)",
        Some("break"),
    ),
    ("page/required-column-absent", &[], "ALTER TABLE keeper ADD COLUMN iban TEXT NOT NULL DEFAULT ''", None),
    (
        "page/written-by-database",
        &[],
        "ALTER TABLE keeper DROP COLUMN born_on; ALTER TABLE keeper ADD COLUMN born_on DATE GENERATED ALWAYS AS (2026 - age)",
        Some("break"),
    ),
    ("page/written-by-database", &[], "ALTER TABLE keeper ADD COLUMN decade INTEGER GENERATED ALWAYS AS (age / 10)", None),
    (
        "page/not-writable",
        &[],
        "ALTER TABLE keeper RENAME TO keeper_table; CREATE VIEW keeper AS SELECT * FROM keeper_table",
        Some("break"),
    ),
    ("page/not-writable", &[], "DROP TABLE region", Some("break")),
    ("page/not-writable", &[], "CREATE TRIGGER t AFTER INSERT ON keeper BEGIN INSERT INTO nowhere VALUES (1); END", Some("break")),
    ("page/not-writable", &[], "CREATE TRIGGER t AFTER INSERT ON keeper BEGIN UPDATE region SET active = 1; END", None),
    ("lookup/display-missing", &[], "ALTER TABLE region RENAME COLUMN name TO title", Some("break")),
    ("lookup/display-missing", &[], "ALTER TABLE region RENAME COLUMN active TO in_use", None),
    (
        "access/row-filter-broken",
        &[("[field.id]", "[field.id] #")],
        "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age",
        Some("break"),
    ),
    (
        "access/row-filter-broken",
        &[("rows = \"age > 17\"", "rows = \"id IN (SELECT value FROM json_each('[1]') WHERE age > 17)\"")],
        "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age",
        Some("risk"),
    ),
    (
        "access/row-filter-broken",
        &[("rows = \"age > 17\"", "rows = \"id IN (SELECT value FROM json_each('[1]') WHERE age > 17)\"")],
        "ALTER TABLE keeper DROP COLUMN phone",
        None,
    ),
    ("access/row-filter-broken", &[("rows = \"age > 17\"\n", "")], "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", None),
    (
        "code/old-name",
        &[("handmade/q.sql|", "-- all\nSELECT k.phone\nFROM keeper k;")],
        "ALTER TABLE keeper RENAME COLUMN phone TO mobile",
        Some("break"),
    ),
    (
        "code/old-name",
        &[("handmade/q.sql|", "SELECT 'phone' AS phone FROM keeper;")],
        "ALTER TABLE keeper RENAME COLUMN phone TO mobile",
        None,
    ),
    (
        "code/old-name",
        &[("handmade/q.py|", "run(f\"SELECT born_on FROM keeper WHERE id = {key}\")")],
        "ALTER TABLE keeper DROP COLUMN born_on",
        Some("break"),
    ),
    (
        "code/old-name",
        &[("handmade/q.py|", "keeper = read()\nprint(keeper.bornOn)")],
        "ALTER TABLE keeper DROP COLUMN born_on",
        Some("risk"),
    ),
    // The field keeps its name.
    ("code/old-name", &[("handmade/q.py|", "print(keeper.phone)")], "ALTER TABLE keeper RENAME COLUMN phone TO mobile", None),
    ("code/old-name", &[("handmade/q.py|", "print(keeper.phoneBook)")], "ALTER TABLE keeper DROP COLUMN phone", None),
    ("data/null-in-required", PHONE_REQUIRED, "INSERT INTO keeper (last_name) VALUES ('Vell')", Some("risk")),
    ("data/null-in-required", PHONE_REQUIRED, "INSERT INTO keeper (last_name, phone) VALUES ('Vell', '')", None),
    ("data/too-long", &[], "INSERT INTO keeper (last_name, phone) VALUES ('Vell', '012345678901234567890')", Some("risk")),
    ("data/too-long", &[], "INSERT INTO keeper (last_name, phone) VALUES ('Vell', '01234567890123456789')", None),
    ("data/orphan-rows", &[], "INSERT INTO visit (keeper_id, day) VALUES (7, '2026-01-01')", Some("risk")),
    (
        "data/orphan-rows",
        &[],
        "INSERT INTO keeper (id, last_name) VALUES (7, 'Vell'); INSERT INTO visit (keeper_id, day) VALUES (7, '2026-01-01')",
        None,
    ),
    ("data/duplicate-key", NAME_KEY, "INSERT INTO keeper (last_name) VALUES ('Vell'), ('Thorn'), ('Vell')", Some("risk")),
    ("data/duplicate-key", NAME_KEY, "INSERT INTO keeper (last_name) VALUES ('Vell'), ('Thorn')", None),
    ("data/choice-unknown", PHONE_CHOICES, "INSERT INTO keeper (last_name, phone) VALUES ('Vell', 'c')", Some("risk")),
    ("data/choice-unknown", PHONE_CHOICES, "INSERT INTO keeper (last_name, phone) VALUES ('Vell', 'a'), ('Thorn', NULL)", None),
    ("data/does-not-convert", &[], "INSERT INTO keeper (last_name, age) VALUES ('Vell', 'old')", Some("risk")),
    ("data/does-not-convert", &[], "INSERT INTO keeper (last_name, born_on) VALUES ('Vell', 'in May')", Some("risk")),
    ("data/does-not-convert", &[], "INSERT INTO keeper (last_name, age, born_on) VALUES ('Vell', '7', '2019-05-01')", None),
    ("data/check-violated", CHECK, "INSERT INTO keeper (last_name, age) VALUES ('Vell', 3)", Some("risk")),
    ("data/check-violated", CHECK, "INSERT INTO keeper (last_name, age) VALUES ('Vell', 6), ('Thorn', NULL)", None),
    ("code/view-broken", &[], "DROP VIEW grown_up; CREATE VIEW grown_up AS SELECT id, last_name, size FROM keeper", Some("break")),
    ("code/view-broken", &[], "DROP VIEW grown_up; CREATE VIEW grown_up AS SELECT id, last_name FROM keeper", None),
    ("code/trigger-broken", &[], "CREATE TRIGGER t AFTER INSERT ON keeper BEGIN INSERT INTO nowhere VALUES (1); END", Some("break")),
    ("code/trigger-broken", &[], "CREATE TRIGGER t AFTER INSERT ON keeper BEGIN UPDATE region SET active = 1; END", None),
    (
        "page/column-missing",
        &[("column = \"phone\"", "column = \"phone\"\nhidden = true")],
        "ALTER TABLE visit DROP COLUMN note",
        Some("break"),
    ),
];

/// A workspace with a restricted role, edited by hand: pieces of keeper.toml, `FILE|` before a new file of code.
fn prepared(edits: &[(&str, &str)]) -> Project {
    let project = Project::new(SQL);
    project.edit("app/app.toml", "[role.everyone]", "[role.guest]\n[role.everyone]");
    project.write("app/keeper.toml", &(project.read("app/keeper.toml") + ROLE));
    for (from, to) in edits {
        match from.split_once('|') {
            Some((file, "")) => {
                std::fs::create_dir_all(project.path("handmade")).unwrap();
                project.write(file, to);
                project.append("ysomorph.toml", "\n[code]\nroots = [\"handmade\"]\n");
            }
            _ => project.edit("app/keeper.toml", from, to),
        }
    }
    project
}

#[test]
fn rules_fire_on_what_the_engine_the_data_and_the_code_say() {
    let mut wrong = Vec::new();
    for (rule, edits, change, expected) in CASES {
        let project = prepared(edits);
        project.sql(change);
        let data = if rule.starts_with("data/") { &["--data"][..] } else { &[] };
        let ran = project.run(&[&["impact", "--format", "json"], data].concat());
        assert_ne!(ran.code, 2, "{rule} after {change:?}: {}", ran.err);
        let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
        let findings: Vec<&serde_json::Value> = report["findings"].as_array().unwrap().iter().filter(|f| f["rule"] == *rule).collect();
        let agrees = match expected {
            None => findings.is_empty(),
            Some(severity) => findings.iter().any(|f| f["severity"] == *severity),
        };
        let is_told = |f: &&serde_json::Value| f["message"] != "" && f["at"]["line"].as_u64() >= Some(1);
        if !agrees || !findings.iter().all(is_told) {
            wrong.push(format!("{rule} after {change:?} should be {expected:?} with its place: {findings:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
}

#[test]
fn the_catalogue_of_rules_is_the_programs_own() {
    let mut text = String::from(
        "# Rules\n\nWhat `impact` and `check` find. `ysomorph explain RULE` prints one. This page is written by the program.\n",
    );
    for rule in RULES {
        let docs = rule.docs;
        text.push_str(&format!(
            "\n## {} ({})\n\n{} {}\n\nExample: {}; then {}.\n\nWhat to do: {}\n",
            rule.name,
            rule.severity.word(),
            docs.detects,
            docs.matters,
            docs.before,
            docs.after,
            docs.to_do
        ));
    }
    crate::support::published("rules.md", &text);
}

#[test]
fn every_kind_of_change_is_considered_for_every_kind_of_element() {
    use ysomorph_core::changes::ChangeKind;
    use ysomorph_core::impact::ElementKind;
    use ysomorph_core::impact::matrix::{Cell, cell};
    // The list of kinds is the whole type.
    let schema = serde_json::to_value(schemars::schema_for!(ChangeKind)).unwrap();
    let written: Vec<&serde_json::Value> = schema["oneOf"].as_array().unwrap().iter().map(|one| &one["const"]).collect();
    assert_eq!(written.len(), ChangeKind::ALL.len(), "{written:?}");
    let mut text = String::from(
        "# Changes and what they touch\n\nEvery kind of change against every kind of element of a definition: the rules that look at it, or why none \
         has to. This page is written by the program.\n",
    );
    for change in ChangeKind::ALL {
        text.push_str(&format!("\n## {}\n\n", change.name()));
        let mut reasons: Vec<(&str, Vec<&str>)> = Vec::new();
        for element in ElementKind::ALL {
            match cell(*change, element) {
                Cell::Rules(rules) => text.push_str(&format!("- **{}**: {}\n", element.word(), rules.join(", "))),
                Cell::Nothing(why) => match reasons.iter_mut().find(|(known, _)| *known == why) {
                    Some((_, elements)) => elements.push(element.word()),
                    None => reasons.push((why, vec![element.word()])),
                },
                Cell::Unconsidered => panic!("nobody has thought of {} × {}", change.name(), element.word()),
            }
        }
        for (why, elements) in reasons {
            text.push_str(&format!("- {}: {why}\n", elements.join("; ")));
        }
    }
    crate::support::published("impact-matrix.md", &text);
}
