//! The whole journey through the built program, on the demo and on a second, different database.

use crate::support::Project;

#[test]
fn the_demo_walks_there_and_back() {
    let dir = tempfile::tempdir().unwrap();
    // Relative to the folder that -C names.
    let output = std::process::Command::new(env!("CARGO_BIN_EXE_ysomorph"))
        .arg("-C")
        .arg(dir.path())
        .args(["demo", "three combs"])
        .output()
        .unwrap();
    assert!(dir.path().join("three combs/app/hive.toml").exists());
    let text = String::from_utf8(output.stdout).unwrap();
    assert!(output.status.success(), "{text}{}", String::from_utf8_lossy(&output.stderr));
    assert_eq!(text.matches("The definition is what it was, to the byte").count(), 2, "{text}");
    let (_, back) = text.rsplit_once("$ ysomorph check").unwrap();
    assert!(!back.contains("follow-up"), "changed back, there is nothing left to do: {back}");
    for expected in [
        "postcode → postal_code",
        "almost certainly a rename",
        "page/column-missing",
        "access/row-filter-broken",
        "rename/remedy",
        "Sound: 11 entities, 53 pages, 0 findings",
    ] {
        assert!(text.contains(expected), "{expected}");
    }
    assert!(
        text.lines().all(|l| l.starts_with(['#', '-', '+', ' ', '$']) || l.chars().count() <= 100),
        "lines of the program's own stay readable"
    );
}

/// A harbour: 21 tables, composite keys and references, self references, quoted and foreign names, reserved words.
pub const HARBOUR: &str = r#"
CREATE TABLE country (code CHAR(2) PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE);
CREATE TABLE port (country CHAR(2) NOT NULL REFERENCES country (code), port_no INTEGER NOT NULL, name VARCHAR(60) NOT NULL, depth_m DECIMAL(5,2), PRIMARY KEY (country, port_no)) WITHOUT ROWID;
CREATE TABLE berth (country CHAR(2) NOT NULL, port_no INTEGER NOT NULL, letter CHAR(1) NOT NULL, length_m DECIMAL(6,1), PRIMARY KEY (country, port_no, letter), FOREIGN KEY (country, port_no) REFERENCES port (country, port_no));
CREATE TABLE company (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, parent_id INTEGER REFERENCES company (id), email VARCHAR(120));
CREATE TABLE vessel (id INTEGER PRIMARY KEY, imo_no VARCHAR(10) NOT NULL UNIQUE, name VARCHAR(60) NOT NULL, company_id INTEGER REFERENCES company (id), built_on DATE, notes TEXT);
CREATE TABLE "order" (id INTEGER PRIMARY KEY, "group" VARCHAR(20), "select" INTEGER, company_id INTEGER NOT NULL REFERENCES company (id), placed_at DATETIME NOT NULL);
CREATE TABLE "order line" ("order id" INTEGER NOT NULL REFERENCES "order" (id), "line no" INTEGER NOT NULL, "what's in" TEXT NOT NULL, weight_kg DECIMAL(10,3), PRIMARY KEY ("order id", "line no"));
CREATE TABLE "Größe" (id INTEGER PRIMARY KEY, "Länge" DECIMAL(6,2), "Bezeichnung" VARCHAR(40) NOT NULL);
CREATE TABLE "Vögel" (id INTEGER PRIMARY KEY, "Art" VARCHAR(40) NOT NULL, "größe_id" INTEGER REFERENCES "Größe" (id));
CREATE TABLE call (id INTEGER PRIMARY KEY, vessel_id INTEGER NOT NULL REFERENCES vessel (id), country CHAR(2) NOT NULL, port_no INTEGER NOT NULL, letter CHAR(1), arrived_at DATETIME NOT NULL, left_at DATETIME, FOREIGN KEY (country, port_no, letter) REFERENCES berth (country, port_no, letter));
CREATE TABLE crew (id INTEGER PRIMARY KEY, first_name VARCHAR(40) NOT NULL, last_name VARCHAR(40) NOT NULL, password_hash VARCHAR(100), chief_id INTEGER REFERENCES crew (id));
CREATE TABLE crew_vessel (crew_id INTEGER NOT NULL REFERENCES crew (id), vessel_id INTEGER NOT NULL REFERENCES vessel (id), PRIMARY KEY (crew_id, vessel_id));
CREATE TABLE certificate (id INTEGER PRIMARY KEY, crew_id INTEGER NOT NULL REFERENCES crew (id), kind VARCHAR(20) NOT NULL CHECK (kind IN ('deck', 'engine')), valid_to DATE NOT NULL);
CREATE TABLE inspection (id INTEGER PRIMARY KEY, call_id INTEGER NOT NULL REFERENCES call (id), passed BOOLEAN NOT NULL DEFAULT 0, remarks TEXT);
CREATE TABLE tariff (id INTEGER PRIMARY KEY, label VARCHAR(40) NOT NULL, per_day DECIMAL(8,2) NOT NULL);
CREATE TABLE invoice (id INTEGER PRIMARY KEY, number VARCHAR(20) NOT NULL UNIQUE, call_id INTEGER NOT NULL REFERENCES call (id), tariff_id INTEGER NOT NULL REFERENCES tariff (id), total DECIMAL(10,2) NOT NULL, vat DECIMAL(10,2) GENERATED ALWAYS AS (total * 0.2) STORED);
CREATE TABLE payment (id INTEGER PRIMARY KEY, invoice_id INTEGER NOT NULL REFERENCES invoice (id) ON DELETE CASCADE, paid_on DATE NOT NULL, amount DECIMAL(10,2) NOT NULL);
CREATE TABLE pilot (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, licence BLOB);
CREATE TABLE pilotage (call_id INTEGER NOT NULL REFERENCES call (id), pilot_id INTEGER NOT NULL REFERENCES pilot (id), fee DECIMAL(8,2), PRIMARY KEY (call_id, pilot_id));
CREATE TABLE weather (day DATE NOT NULL, hour INTEGER NOT NULL, wind_kn INTEGER, PRIMARY KEY (day, hour));
CREATE TABLE log (entry TEXT, at DATETIME);
CREATE VIEW open_call AS SELECT c.id, v.name AS vessel, c.arrived_at FROM call c JOIN vessel v ON v.id = c.vessel_id WHERE c.left_at IS NULL;
"#;

#[test]
fn a_second_database_goes_the_whole_way_there_and_back() {
    let project = Project::new(HARBOUR);
    let checked = project.expect(0, &["check"]);
    assert!(checked.starts_with("Sound: 21 entities"), "{checked}");
    assert!(project.expect(0, &["changes"]).starts_with("Nothing changed"));
    project.expect(0, &["impact"]);
    assert!(project.read("app/berth.toml").contains("columns = [\"country\", \"port_no\"]"));
    assert!(project.read("app/company.toml").contains("[field.parent]"));
    assert!(project.read("app/order_line.toml").contains("table = \"\\\"order line\\\"\""));
    // By hand: labels, order, a hidden field, another lookup text, a role with a row filter over other tables.
    project.edit("app/app.toml", "[role.everyone]\nlabel = \"Everyone\"", "[role.everyone]\nlabel = 'Harbour office'\n\n[role.agent]        # sees own ships\nlabel = \"Agent\"\n\n[parameter.company]\nkind = \"number\"\nlabel = \"The agent's company\"");
    project.edit(
        "app/vessel.toml",
        "lookup = { entity = \"company\" }",
        "lookup = { entity = \"company\", show = \"{name} <{email}>\", order = [\"name\"], where = \"email IS NOT NULL\" }",
    );
    project.edit("app/vessel.toml", "column = \"built_on\"", "column = \"built_on\"\nlabel = \"Launched\"");
    project.edit("app/order_line.toml", "kind = \"text\"", "kind = \"multiline\"   # people write novels");
    project.write("app/call.toml", &(project.read("app/call.toml") + "\n[access.agent]\nread = true\nrows = \"vessel_id IN (SELECT v.id FROM vessel v JOIN company ON company.id = v.company_id WHERE company.id = :company OR company.parent_id = :company)\"\nhide = [\"left_at\"]\n"));
    project.write(
        "app/vessel.toml",
        &(project.read("app/vessel.toml") + "\n[access.agent]\nread = true\nrows = \"company_id = :company\"\nread_only = [\"notes\"]\n"),
    );
    assert!(project.expect(0, &["check"]).starts_with("Sound"));
    let before = project.definition();
    project.sql(
        "DROP VIEW open_call;
         ALTER TABLE company RENAME TO firm; ALTER TABLE firm RENAME COLUMN parent_id TO \"mother firm\"; ALTER TABLE vessel RENAME COLUMN imo_no TO \"IMO number\";
         ALTER TABLE \"order\" RENAME COLUMN \"select\" TO chosen; ALTER TABLE \"order line\" DROP COLUMN weight_kg; ALTER TABLE vessel ADD COLUMN flag CHAR(2) NOT NULL DEFAULT 'XX';
         ALTER TABLE \"Vögel\" DROP COLUMN \"größe_id\"; DROP TABLE \"Größe\"; DROP TABLE pilotage; CREATE TABLE tug (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL);
         CREATE VIEW open_call AS SELECT c.id, c.arrived_at FROM call c WHERE c.left_at IS NULL;",
    );
    let impact = project.expect(1, &["impact"]);
    for rule in [
        "page/table-missing",
        "page/column-missing",
        "lookup/target-missing",
        "access/row-filter-broken",
        "label/orphan",
        "access/new-field-exposed",
    ] {
        assert!(impact.contains(rule), "{rule}\n{impact}");
    }
    project.merge(&[
        ("rename/company", "firm"),
        ("rename/company.parent_id", "mother firm"),
        ("rename/vessel.imo_no", "IMO number"),
        ("rename/\"order\".\"select\"".replace('"', "").as_str(), "chosen"),
    ]);
    assert!(
        project
            .read("app/call.toml")
            .contains("JOIN firm ON firm.id = v.company_id WHERE firm.id = :company OR firm.\\\"mother firm\\\" = :company"),
        "{:?}",
        project.read("app/call.toml").lines().last()
    );
    project.expect(0, &["check"]);
    project.expect(0, &["impact"]);
    project.sql(
        "DROP VIEW open_call; DROP TABLE tug;
         ALTER TABLE firm RENAME COLUMN \"mother firm\" TO parent_id; ALTER TABLE firm RENAME TO company; ALTER TABLE vessel RENAME COLUMN \"IMO number\" TO imo_no;
         ALTER TABLE \"order\" RENAME COLUMN chosen TO \"select\"; ALTER TABLE \"order line\" ADD COLUMN weight_kg DECIMAL(10,3); ALTER TABLE vessel DROP COLUMN flag;
         CREATE TABLE \"Größe\" (id INTEGER PRIMARY KEY, \"Länge\" DECIMAL(6,2), \"Bezeichnung\" VARCHAR(40) NOT NULL); ALTER TABLE \"Vögel\" ADD COLUMN \"größe_id\" INTEGER REFERENCES \"Größe\" (id);
         CREATE TABLE pilotage (call_id INTEGER NOT NULL REFERENCES call (id), pilot_id INTEGER NOT NULL REFERENCES pilot (id), fee DECIMAL(8,2), PRIMARY KEY (call_id, pilot_id));
         CREATE VIEW open_call AS SELECT c.id, v.name AS vessel, c.arrived_at FROM call c JOIN vessel v ON v.id = c.vessel_id WHERE c.left_at IS NULL;",
    );
    project.merge(&[]);
    project.same_definition(&before);
    assert!(project.expect(0, &["check"]).starts_with("Sound"));
    project.expect(0, &["undo"]);
    assert!(project.read("app/call.toml").contains("firm"));
}

#[test]
fn impact_is_told_by_cause_narrowed_ordered_and_compared_with_a_baseline() {
    let project = Project::folder();
    project.expect(0, &["demo", ".", "--only-files"]);
    let inside = |arguments: &[&str]| project.run(arguments);
    let connection = rusqlite::Connection::open(project.path("threecombs.db")).unwrap();
    connection.execute_batch("ALTER TABLE colony DROP COLUMN queen_mark").unwrap();
    let story = inside(&["impact"]).out;
    // One change is one story, its title first, and what comes from one place is told once.
    assert_eq!(story.matches("colony.queen_mark: column dropped").count(), 1, "{story}");
    assert!(
        story.contains("and so") && story.contains("the merge takes care of it") && story.lines().all(|l| l.chars().count() <= 80),
        "{story}"
    );
    inside(&["impact", "--format", "json", "--output", &project.path("known.json").display().to_string()]);
    connection.execute_batch("ALTER TABLE keeper DROP COLUMN phone").unwrap();
    // Lines move; what is known stays known.
    let file = project.path("app/colony.toml");
    std::fs::write(&file, format!("\n\n{}", std::fs::read_to_string(&file).unwrap())).unwrap();
    let known = project.path("known.json").display().to_string();
    let new = inside(&["impact", "--baseline", &known]);
    assert!(new.code == 1 && new.out.contains("keeper.phone") && !new.out.contains("colony.queen_mark"), "{}", new.out);
    assert!(new.out.contains("known from the"), "{}", new.out);
    for (arguments, expected, not) in [
        (vec!["impact", "--entity", "keeper"], "keeper.phone", "break colony"),
        (vec!["impact", "--rule", "label/*"], "label/title-broken", "page/column-missing"),
        (vec!["impact", "--severity", "note"], "label/orphan", "break "),
        (vec!["impact", "--page", "keeper/list"], "field `phone`", "{queen_mark}"),
        (vec!["impact", "--order", "severity"], "breaks\n", "colony.queen_mark: column dropped"),
        (vec!["impact", "--order", "entity"], "because colony.queen_mark", "and so"),
    ] {
        let told = inside(&arguments).out;
        assert!(told.contains(expected) && !told.contains(not), "{arguments:?}:\n{told}");
    }
}
