//! Every rule fires where it should and is silent on its nearest neighbour, on real databases and TOML.

use crate::support::Project;
use std::collections::BTreeMap;
use ysomorph_core::impact::RULES;

pub const SQL: &str = "
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

const FORMULA: &[(&str, &str)] =
    &[("[page.list]\nfields = [", "[field.half]\nkind = \"number\"\nformula = \"age / 2\"\n\n[page.list]\nfields = [\"half\", ")];
const CHECK: &[(&str, &str)] = &[("[page.list]", "[check.old_enough]\nrule = \"age IS NULL OR age > 5\"\n\n[page.list]")];
const IMPORT: &[(&str, &str)] = &[(
    "[page.list]",
    "[import.sheet]\nkey = [\"last_name\"]\ncolumns = { \"Name\" = \"last_name\", \"Call\" = \"phone\" }\n\n[page.list]",
)];
const EXPORT: &[(&str, &str)] = &[("[page.list]", "[export.all]\nfields = [\"last_name\", \"phone\"]\n\n[page.list]")];
const SOURCE: &[(&str, &str)] = &[(
    "[page.list]",
    "[source]\nselect = \"SELECT k.* FROM keeper k JOIN region r ON r.code = k.region_code WHERE r.active = 1 AND k.age > 17\"\n\n[page.list]",
)];
const PHONE_REQUIRED: &[(&str, &str)] = &[("kind = \"phone\"", "kind = \"phone\"\nrequired = true")];
const PHONE_CHOICES: &[(&str, &str)] = &[("kind = \"phone\"", "kind = \"choice\"\nchoices = [{ value = \"a\" }, { value = \"b\" }]")];
const NAME_KEY: &[(&str, &str)] = &[("key = [\"id\"]", "key = [\"last_name\"]")];
const JOIN_NEEDS_MORE: &str = "DROP TABLE region_helper; CREATE TABLE region_helper (region_id INTEGER NOT NULL REFERENCES region (id), keeper_id INTEGER NOT NULL REFERENCES keeper (id), since DATE NOT NULL, PRIMARY KEY (region_id, keeper_id))";

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
    (
        "page/condition-broken",
        &[("[page.list]", "[page.list]\nwhere = \"age IS NOT NULL\"")],
        "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age",
        Some("break"),
    ),
    (
        "page/condition-broken",
        &[("[page.list]", "[page.list]\nwhere = \"'age' IS NOT NULL\"")],
        "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age",
        None,
    ),
    ("lookup/target-missing", &[], "ALTER TABLE region RENAME TO area", Some("break")),
    ("lookup/target-missing", &[], "ALTER TABLE region RENAME COLUMN name TO title", None),
    ("lookup/display-missing", &[], "ALTER TABLE region RENAME COLUMN name TO title", Some("break")),
    ("lookup/display-missing", &[], "ALTER TABLE region RENAME COLUMN active TO in_use", None),
    ("lookup/value-missing", &[], "ALTER TABLE region RENAME COLUMN code TO short", Some("break")),
    ("lookup/value-missing", &[], "ALTER TABLE region RENAME COLUMN name TO title", None),
    (
        "lookup/condition-broken",
        &[("value = [\"code\"]", "value = [\"code\"], where = \"active = 1\"")],
        "ALTER TABLE region RENAME COLUMN active TO in_use",
        Some("break"),
    ),
    (
        "lookup/condition-broken",
        &[("value = [\"code\"]", "value = [\"code\"], where = \"active = 1\"")],
        "ALTER TABLE region RENAME COLUMN name TO title",
        None,
    ),
    ("label/title-broken", &[], "ALTER TABLE keeper RENAME COLUMN last_name TO surname", Some("break")),
    (
        "label/title-broken",
        &[("title = \"{last_name}\"", "title = \"{{last_name}}, {age}\"")],
        "DROP VIEW grown_up; ALTER TABLE keeper RENAME COLUMN last_name TO surname",
        None,
    ),
    (
        "label/orphan",
        &[("column = \"phone\"", "column = \"phone\"\nlabel = \"Call\"")],
        "ALTER TABLE keeper DROP COLUMN phone",
        Some("note"),
    ),
    ("label/orphan", &[], "DROP VIEW grown_up", Some("break")),
    ("label/orphan", &[], "ALTER TABLE keeper DROP COLUMN phone", None),
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
    ("access/field-rule-orphan", &[], "ALTER TABLE keeper DROP COLUMN phone", Some("risk")),
    ("access/field-rule-orphan", &[], "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", None),
    ("access/protection-lost", &[], "ALTER TABLE keeper RENAME COLUMN phone TO phone_no", Some("risk")),
    ("access/protection-lost", &[("hide = [\"phone\"]", "hide = []")], "ALTER TABLE keeper RENAME COLUMN phone TO phone_no", None),
    ("access/new-field-exposed", &[], "ALTER TABLE keeper ADD COLUMN shoe_size INTEGER", Some("risk")),
    (
        "access/new-field-exposed",
        &[("hide = [\"phone\"]\nread_only = [\"born_on\"]\n", "")],
        "ALTER TABLE keeper ADD COLUMN shoe_size INTEGER",
        None,
    ),
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
    ("access/page-gone", &[], "DROP TABLE visit", Some("note")),
    ("page/formula-broken", FORMULA, "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", Some("break")),
    ("page/formula-broken", FORMULA, "ALTER TABLE keeper DROP COLUMN born_on", None),
    (
        "page/child-link-missing",
        &[],
        "DROP TABLE visit; CREATE TABLE visit (id INTEGER PRIMARY KEY, day DATE NOT NULL, note VARCHAR(40))",
        Some("break"),
    ),
    ("page/child-link-missing", &[], "ALTER TABLE visit DROP COLUMN note", None),
    (
        "page/column-missing",
        &[("column = \"phone\"", "column = \"phone\"\nhidden = true")],
        "ALTER TABLE visit DROP COLUMN note",
        Some("break"),
    ),
    (
        "page/version-column-missing",
        &[("title = ", "version = \"age\"\ntitle = ")],
        "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age",
        Some("break"),
    ),
    ("page/version-column-missing", &[], "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", None),
    ("page/source-broken", SOURCE, "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", Some("break")),
    ("page/source-broken", SOURCE, "ALTER TABLE region RENAME COLUMN active TO in_use", Some("break")),
    ("page/source-broken", SOURCE, "ALTER TABLE keeper DROP COLUMN phone", None),
    ("value/rule-broken", CHECK, "DROP VIEW grown_up; ALTER TABLE keeper DROP COLUMN age", Some("break")),
    ("value/rule-broken", CHECK, "ALTER TABLE keeper DROP COLUMN phone", None),
    ("lookup/join-broken", &[], "DROP TABLE region_helper", Some("break")),
    ("lookup/join-broken", &[], "ALTER TABLE region_helper ADD COLUMN since DATE", None),
    ("lookup/join-needs-more", &[], JOIN_NEEDS_MORE, Some("break")),
    ("lookup/join-needs-more", &[], "ALTER TABLE region_helper ADD COLUMN since DATE NOT NULL DEFAULT ''", None),
    ("exchange/import-broken", IMPORT, "ALTER TABLE keeper DROP COLUMN phone", Some("break")),
    ("exchange/import-broken", IMPORT, "ALTER TABLE keeper DROP COLUMN born_on", None),
    (
        "exchange/import-misses-required",
        IMPORT,
        "CREATE TABLE k AS SELECT * FROM keeper; DROP TABLE keeper; CREATE TABLE keeper (id INTEGER PRIMARY KEY, last_name VARCHAR(60) NOT NULL, phone VARCHAR(20), region_code VARCHAR(8) REFERENCES region (code), born_on DATE, age INTEGER, iban TEXT NOT NULL)",
        Some("break"),
    ),
    ("exchange/import-misses-required", IMPORT, "ALTER TABLE keeper ADD COLUMN iban TEXT", None),
    ("exchange/export-broken", EXPORT, "ALTER TABLE keeper DROP COLUMN phone", Some("break")),
    ("exchange/export-broken", EXPORT, "ALTER TABLE keeper DROP COLUMN born_on", None),
    ("definition/duplicate", &[("hide = [\"phone\"]", "hide = [\"phone\", \"phone\"]")], "", Some("break")),
    ("definition/duplicate", &[("hide = [\"phone\"]", "hide = [\"phone\", \"age\"]")], "", None),
    ("definition/unknown-key", &[("label = { one", "labels = { one")], "", Some("break")),
    ("definition/unknown-key", &[("label = { one", "label   = { one")], "", None),
    ("definition/wrong-kind", &[("kind = \"date\"", "kind = \"dat\"")], "", Some("break")),
    ("definition/wrong-kind", &[("kind = \"date\"", "kind = 'date'")], "", None),
    ("definition/unknown-name", &[("hide = [\"phone\"]", "hide = [\"fone\"]")], "", Some("break")),
    ("definition/unknown-name", &[("rows = \"age > 17\"", "rows = \"last_name <> :user_name\"")], "", None),
    ("definition/unknown-column", &[("column = \"born_on\"", "column = \"burned_on\"")], "", Some("break")),
    ("definition/unknown-column", &[("column = \"born_on\"", "column = \"BORN_ON\"")], "", None),
];

/// The severity it should fire with; nothing where it should be silent.
pub type Expected = Option<&'static str>;

/// A workspace with a restricted role, edited by hand: pieces of keeper.toml, `FILE|` before one of another file, `po|` a
/// whole catalogue.
pub fn prepared(sql: &str, edits: &[(&str, &str)]) -> Project {
    let project = Project::new(sql);
    project.edit("app/app.toml", "[role.everyone]", "[role.guest]\n[role.everyone]");
    project.write("app/keeper.toml", &(project.read("app/keeper.toml") + ROLE));
    for (from, to) in edits {
        match from.split_once('|') {
            Some((file, "")) if file.starts_with("handmade/") => {
                std::fs::create_dir_all(project.path("handmade")).unwrap();
                project.write(file, to);
                project.append("ysomorph.toml", "\n[code]\nroots = [\"handmade\"]\n");
            }
            Some(("po", head)) => project.write("app/labels.de.po", &format!("{head}{to}")),
            Some((file, from)) if file.ends_with(".toml") => project.edit(&format!("app/{file}"), from, to),
            _ => project.edit("app/keeper.toml", from, to),
        }
    }
    project
}

/// Whether a rule's findings are what they should be; what is wrong otherwise.
pub fn judge(rule: &str, ran: &crate::support::Ran, alone: bool, expected: Expected) -> Result<(), String> {
    if ran.code == 2 {
        return Err(ran.err.clone());
    }
    let report: serde_json::Value = serde_json::from_str(&ran.out).map_err(|e| format!("{e}: {}", ran.out))?;
    let findings: Vec<&serde_json::Value> = report["findings"].as_array().unwrap().iter().filter(|f| f["rule"] == rule).collect();
    let Some(severity) = expected else {
        return if findings.is_empty() { Ok(()) } else { Err(format!("should be silent: {findings:?}")) };
    };
    if !findings.iter().any(|f| f["severity"] == severity) {
        return Err(format!("should fire as {severity}: {findings:?}"));
    }
    let known = RULES.iter().find(|r| r.name == rule).unwrap();
    for finding in findings {
        // A routine of the database stands nowhere in the workspace.
        let nowhere = finding["at"]["line"].as_u64() < Some(1) && !["code/routine-broken", "code/event-broken"].contains(&rule);
        if finding["message"].as_str().unwrap().is_empty() || nowhere {
            return Err(format!("says nothing, or not where: {finding}"));
        }
        // The cause is one the rule declares, from which the matrix is made.
        match finding["cause"].as_u64() {
            // Records may have been so for long.
            None if alone || rule.starts_with("data/") => {}
            Some(at) if !alone => {
                let kind = &report["changes"][usize::try_from(at).unwrap()]["kind"];
                if !known.changes.iter().any(|k| kind == &k.name()) {
                    return Err(format!("its cause {kind} isn't among those it declares"));
                }
            }
            cause => return Err(format!("caused by {cause:?}: {finding}")),
        }
    }
    Ok(())
}

#[test]
fn every_rule_fires_and_is_silent_where_it_should() {
    let mut wrong = Vec::new();
    for (rule, edits, change, expected) in CASES {
        let project = prepared(SQL, edits);
        project.sql(change);
        let command = if change.is_empty() { "check" } else { "impact" };
        let data = if rule.starts_with("data/") { &["--data"][..] } else { &[] };
        let ran = project.run(&[&[command, "--format", "json"], data].concat());
        wrong.extend(judge(rule, &ran, change.is_empty(), *expected).err().map(|e| format!("{rule} after {change:?}: {e}")));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n\n"));
    let known = CASES.iter().map(|c| (c.0, c.3)).chain(crate::rules_on_snapshots::CASES.iter().map(|c| (c.0, c.4)));
    let known = known.chain(crate::foreign::RULE_CASES.iter().copied());
    let mut seen: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    for (rule, expected) in known {
        let counts = seen.entry(rule).or_default();
        *(if expected.is_some() { &mut counts.0 } else { &mut counts.1 }) += 1;
    }
    for rule in RULES {
        let (fires, silent) = seen.get(rule.name).copied().unwrap_or_default();
        assert!(fires > 0 && silent > 0, "{} fires in {fires} cases and is silent in {silent}", rule.name);
    }
}

#[test]
fn rules_are_named_alike_and_documented() {
    let mut names: Vec<&str> = RULES.iter().map(|r| r.name).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), RULES.len(), "every name once");
    for rule in RULES {
        let (group, name) = rule.name.split_once('/').expect("group/name");
        let plain = |t: &str| !t.is_empty() && t.chars().all(|c| c.is_ascii_lowercase() || c == '-');
        assert!(plain(group) && plain(name), "{}", rule.name);
        let docs = rule.docs;
        for text in [docs.detects, docs.matters, docs.before, docs.after, docs.to_do] {
            assert!(text.len() > 8, "{} lacks a part of its documentation: {text:?}", rule.name);
        }
    }
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
