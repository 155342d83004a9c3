//! What a merge leaves to people: told first, patched where that is certain, closed when it is true no more or by hand.

use crate::servers::{BOTH, Place};
use crate::support::Project;
use serde_json::Value;
use ysomorph_core::definition::Tree;
use ysomorph_core::impact::{Around, concerned_part, follow_ups_of_change};
use ysomorph_workspace::{Workspace, start};

/// The demo whose database changed, with the renames answered as they were meant.
fn changed_demo(on: Option<&Place>) -> Project {
    let project = Project::demo(on);
    project.change_demo(on);
    let listed = project.run(&["decide", "--list", "--format", "json"]);
    let report: Value = serde_json::from_str(&listed.out).unwrap();
    let asked: Vec<&str> = report["questions"].as_array().unwrap().iter().filter_map(|q| q["name"].as_str()).collect();
    for (question, choice) in [
        ("rename/remedy", "medicine"),
        ("rename/keeper.postcode", "postal_code"),
        ("rename/hive.tag", "hive_no"),
        ("rename/harvest.honey_kg", "honey_g"),
    ] {
        // Where the database's catalogue knows a rename, nothing is asked.
        if asked.contains(&question) {
            project.expect(0, &["decide", question, choice]);
        }
    }
    project
}

/// The follow-ups of a merge: name and message.
fn follow_ups(project: &Project, arguments: &[&str]) -> Vec<(String, String)> {
    let mut all = arguments.to_vec();
    all.extend(["--format", "json"]);
    let ran = project.run(&all);
    let report: Value = serde_json::from_str(&ran.out).unwrap_or_else(|e| panic!("{e}\n{}{}", ran.out, ran.err));
    let key = if report["follow_ups"].is_array() { "follow_ups" } else { "open_follow_ups" };
    let text = |f: &Value, key: &str| f[key].as_str().unwrap_or_default().to_owned();
    let mut all: Vec<_> = report[key].as_array().into_iter().flatten().map(|f| (text(f, "name"), text(f, "message"))).collect();
    all.dedup();
    all
}

fn names(follow_ups: &[(String, String)]) -> Vec<&str> {
    follow_ups.iter().map(|(name, _)| name.as_str()).collect()
}

/// The whole way of the demo's follow-ups, on one engine.
fn the_way_of_follow_ups(on: Option<&Place>) {
    let project = changed_demo(on);
    let told = follow_ups(&project, &["merge"]);
    for expected in [
        "code/old-name/handmade/season.sql/keeper.postcode",
        "code/old-name/handmade/jar_labels.py/hive.tag",
        "label/stale/harvest/honey_kg",
        "value/unit-suspected/harvest/honey_kg",
        "lookup/no-longer-enforced/inspection/inspector",
    ] {
        assert!(names(&told).contains(&expected), "{expected}: {told:?}");
    }
    // They stand first, worst first.
    let printed = project.run(&["merge"]).out;
    let place = |text: &str| printed.find(text).unwrap_or_else(|| panic!("{text}:\n{printed}"));
    assert!(place("Left to you") < place("handmade/season.sql:2:28") && place("handmade/season.sql:2:28") < place("still says \"kg\""));
    assert!(place("still says \"kg\"") < place("Set aside") && place("Set aside") < place("--- app/"));
    project.expect(0, &["merge", "--write", "--safe"]);
    // The patch is made of what is remembered.
    let file = project.path("fix.patch").display().to_string();
    let patch = project.expect(0, &["merge", "--patch", &file]);
    assert!(patch.contains(&format!("2 files of hand-written code: git apply {file}")), "{patch}");
    assert!(project.read("fix.patch").contains("harvest.honey_kg is honey_g now; the values may be in another unit now"));
    project.git_ok(&["init", "-q"]);
    project.git_ok(&["apply", "fix.patch"]);
    assert!(project.read("handmade/season.sql").contains("k.postal_code, sum(v.honey_g) AS honey_kg"));
    assert!(project.read("handmade/jar_labels.py").contains("SELECT h.hive_no, v.jar_label, v.honey_g, v.harvested_on"));
    let open = follow_ups(&project, &["check"]);
    assert!(open.iter().all(|(_, message)| !message.contains("SQL names")), "{open:?}");
    // A label that a person fixes closes by itself, the rest by hand; what was closed stays closed.
    assert!(names(&open).contains(&"label/stale/harvest/honey_kg"));
    project.edit("app/harvest.toml", "Honey (kg)", "Honey (g)");
    project.edit("app/harvest.toml", "unit = \"kg\"", "unit = \"g\"");
    let open = follow_ups(&project, &["check"]);
    assert!(!names(&open).contains(&"label/stale/harvest/honey_kg"), "{open:?}");
    let unknown = project.expect(2, &["decide", "done/value/unit-suspected/harvest/honey"]);
    assert!(unknown.contains("did you mean `done/value/unit-suspected/harvest/honey_kg`?"), "{unknown}");
    project.expect(0, &["decide", "done/value/unit-suspected/harvest/honey_kg"]);
    project.expect(0, &["decide", "done/*inspect*"]);
    let open = follow_ups(&project, &["check"]);
    assert!(open.iter().all(|(name, _)| !name.contains("inspect") && !name.contains("unit-suspected")), "{open:?}");
    project.expect(0, &["merge"]);
    assert_eq!(follow_ups(&project, &["check"]), open, "looking and merging again open nothing");
}

#[test]
fn follow_ups_of_the_demo_are_told_patched_and_closed() {
    the_way_of_follow_ups(None);
    for server in BOTH {
        if let Some(place) = Place::new(server) {
            the_way_of_follow_ups(Some(&place));
        }
    }
}

#[test]
fn a_patch_before_the_merge_leaves_impact_without_the_findings_it_was_for() {
    let project = changed_demo(None);
    let certain = |project: &Project| {
        let ran = project.run(&["impact", "--rule", "code/old-name", "--severity", "break", "--format", "json"]);
        let report: Value = serde_json::from_str(&ran.out).unwrap();
        report["findings"].as_array().unwrap().len()
    };
    assert!(certain(&project) > 0);
    let patch = project.run(&["merge", "--patch", "-"]);
    assert!(patch.out.starts_with("Hand-written code under the names that the database has now."), "{}", patch.out);
    project.write("p", &patch.out);
    project.git_ok(&["init", "-q"]);
    project.git_ok(&["apply", "p"]);
    assert_eq!(certain(&project), 0);
    // There is nothing more to patch, and a patch on standard output is no JSON.
    assert_eq!(project.run(&["merge", "--patch", "-"]).out, "");
    project.expect(2, &["merge", "--patch", "-", "--format", "json"]);
}

#[test]
fn only_what_is_certain_is_rewritten() {
    let sql = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT, colour TEXT, yard_id INTEGER); CREATE TABLE yard (id INTEGER PRIMARY KEY, name TEXT);";
    for (file, text, expected) in [
        // Aliases, texts and other tables' columns stay; quotes stay; letters don't matter.
        (
            "q.sql",
            "SELECT h.TAG AS tag, 'tag', y.name FROM hive h JOIN yard y ON y.id = h.yard_id;\n",
            Some("SELECT h.plate_no AS tag, 'tag', y.name FROM hive h JOIN apiary y ON y.id = h.yard_id;\n"),
        ),
        (
            "q.sql",
            "SELECT \"tag\" FROM hive;\r\nSELECT 1;\r\nUPDATE hive SET tag = 'x' WHERE [tag] = ?",
            Some("SELECT \"plate_no\" FROM hive;\r\nSELECT 1;\r\nUPDATE hive SET plate_no = 'x' WHERE [plate_no] = ?"),
        ),
        // A renamed table makes its columns known.
        (
            "a.py",
            "q = '''SELECT t.name\n  FROM yard t, hive WHERE tag = %s'''\ntag = 1\n",
            Some("q = '''SELECT t.name\n  FROM apiary t, hive WHERE plate_no = %s'''\ntag = 1\n"),
        ),
        // Something else in the statement is gone for good, or nothing can be told.
        ("q.sql", "SELECT tag, colour FROM hive;\n", None),
        ("q.sql", "SELECT tag FROM json_each(:x), hive;\n", None),
        ("q.sql", "SELECT tag FROM hive WHERE (;\n", None),
        ("a.py", "print(hive.tag)\n", None),
        // What isn't UTF-8 can't be written back.
        ("mine.sql", "SELECT tag FROM hive; -- caf\u{fffd}\n", None),
    ] {
        let project = Project::new(sql);
        project.append("ysomorph.toml", "\n[code]\nroots = [\"src\"]\n");
        std::fs::create_dir_all(project.path("src")).unwrap();
        project.write(&format!("src/{file}"), text);
        project
            .sql("ALTER TABLE hive RENAME COLUMN tag TO plate_no; ALTER TABLE hive DROP COLUMN colour; ALTER TABLE yard RENAME TO apiary");
        for (question, choice) in [("rename/hive.tag", "plate_no"), ("rename/yard", "apiary")] {
            project.expect(0, &["decide", question, choice]);
        }
        project.run(&["merge", "--patch", &project.path("p").display().to_string()]);
        let patch = project.read("p");
        match expected {
            None => assert_eq!(patch, "", "{text}"),
            Some(expected) => {
                project.git_ok(&["init", "-q"]);
                project.git_ok(&["apply", "p"]);
                assert_eq!(project.read(&format!("src/{file}")), expected, "{patch}");
            }
        }
    }
}

#[test]
fn a_lost_name_is_remembered_through_later_changes_until_nothing_speaks_of_it() {
    let project = Project::new(
        "CREATE TABLE harvest (id INTEGER PRIMARY KEY, honey_kg REAL, colony TEXT NOT NULL, picked_on DATE, moisture_pct REAL);",
    );
    project.append("ysomorph.toml", "\n[code]\nroots = [\"src\"]\n");
    std::fs::create_dir_all(project.path("src")).unwrap();
    project.write("src/a.sql", "SELECT honey_kg FROM harvest;\n");
    project.write("src/b.sql", "SELECT 1;\n");
    project.sql("ALTER TABLE harvest RENAME COLUMN honey_kg TO honey_g");
    project.merge(&[("rename/harvest.honey_kg", "honey_g")]);
    let name = "code/old-name/src/a.sql/harvest.honey_kg";
    assert!(names(&follow_ups(&project, &["check"])).contains(&name));
    // Renamed again, the table too: the patch writes the name of today, whichever old one stands there.
    project.write("src/b.sql", "SELECT honey_g FROM harvest;\n");
    project.sql("ALTER TABLE harvest RENAME COLUMN honey_g TO honey_mg; ALTER TABLE harvest RENAME TO crop");
    project.merge(&[("rename/harvest", "crop"), ("rename/harvest.honey_g", "honey_mg")]);
    let open = follow_ups(&project, &["check"]);
    assert!(open.iter().any(|(name, _)| name.contains("src/a.sql")) && open.iter().any(|(name, _)| name.contains("src/b.sql")), "{open:?}");
    project.git_ok(&["init", "-q"]);
    for _ in 0..2 {
        project.expect(0, &["merge", "--patch", &project.path("p").display().to_string()]);
        if !project.read("p").is_empty() {
            project.git_ok(&["apply", "p"]);
        }
    }
    assert_eq!(
        (project.read("src/a.sql"), project.read("src/b.sql")),
        ("SELECT honey_mg FROM crop;\n".into(), "SELECT honey_mg FROM crop;\n".into())
    );
    let open = follow_ups(&project, &["check"]);
    assert!(open.iter().all(|(name, _)| !name.starts_with("code/")), "{open:?}");
    // Back again: what speaks of the names between is told, the first name is nothing lost.
    project.write("src/a.sql", "SELECT honey_kg FROM harvest;\n");
    project.sql("ALTER TABLE crop RENAME COLUMN honey_mg TO honey_kg; ALTER TABLE crop RENAME TO harvest");
    project.merge(&[]);
    let open = follow_ups(&project, &["check"]);
    assert!(
        open.iter().any(|(name, _)| name.contains("src/b.sql")) && open.iter().all(|(name, _)| !name.contains("src/a.sql")),
        "{open:?}"
    );
}

#[test]
fn a_new_field_on_no_page_waits_to_be_placed_or_hidden() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT NOT NULL, colour TEXT);");
    for page in ["list", "detail", "add", "edit"] {
        assert!(project.read("app/hive.toml").contains(&format!("[page.{page}]")));
    }
    let laid: String = project.read("app/hive.toml").replace("\"tag\", \"colour\"", "\"colour\", \"tag\"");
    project.write("app/hive.toml", &laid);
    project.sql("ALTER TABLE hive ADD COLUMN weight_kg REAL");
    project.merge(&[("new-field/hive.weight_kg", "leave-out")]);
    let name = "page/field-unplaced/hive/weight_kg";
    assert_eq!(names(&follow_ups(&project, &["check"])), [name]);
    assert!(project.expect(0, &["check"]).contains("1 follow-up open"));
    project.edit("app/hive.toml", "\"colour\", \"tag\"", "\"colour\", \"tag\", \"weight_kg\"");
    assert!(follow_ups(&project, &["check"]).is_empty());
}

#[test]
fn what_a_change_left_goes_with_the_change() {
    const THEN: &str = "CREATE TABLE harvest (id INTEGER PRIMARY KEY, honey_kg REAL, tag VARCHAR(9)); CREATE TABLE hive (id INTEGER PRIMARY KEY, harvest_id INTEGER REFERENCES harvest (id))";
    const NOW: &str = "CREATE TABLE harvest (id INTEGER PRIMARY KEY, honey_g INTEGER, number VARCHAR(9)); CREATE TABLE hive (id INTEGER PRIMARY KEY, harvest_id INTEGER)";
    // The name comes back, the other changes stay.
    const PARTLY: &str = "CREATE TABLE harvest (id INTEGER PRIMARY KEY, honey_kg INTEGER, number VARCHAR(9)); CREATE TABLE hive (id INTEGER PRIMARY KEY, harvest_id INTEGER)";
    type Edits = &'static [(&'static str, &'static str)];
    for (by_hand, edits, closed, back, expected) in [
        ("nothing", &[][..] as Edits, None, THEN, &[][..]),
        // A comment isn't what the change left.
        ("a comment elsewhere", &[("table = \"harvest\"", "# Ours.\ntable = \"harvest\"")], None, THEN, &["label/stale/harvest/tag"]),
        ("the label it told of", &[("Honey (kg)", "Honey (g)")], None, THEN, &["label/stale/harvest/honey_kg", "label/stale/harvest/tag"]),
        (
            "closed by hand",
            &[],
            Some("done/value/*"),
            THEN,
            &["value/precision-lost/harvest/honey_kg", "value/unit-suspected/harvest/honey_kg"],
        ),
        ("a part of it", &[], None, PARTLY, &["lookup/no-longer-enforced/hive/harvest", "value/precision-lost/harvest/honey_kg"]),
    ] {
        let project = Project::new(THEN);
        project.edit("app/harvest.toml", "label = \"Honey\"", "label = \"Honey (kg)\"");
        project.edit("app/harvest.toml", "column = \"tag\"", "column = \"tag\"\nlabel = \"Hive number\"");
        let change = |to: &str| project.sql(&format!("DROP TABLE hive; DROP TABLE harvest; {to}"));
        change(NOW);
        project.merge(&[("rename/harvest.honey_kg", "honey_g"), ("rename/harvest.tag", "number")]);
        let left = follow_ups(&project, &["check"]);
        for rule in ["label/stale/harvest/honey_kg", "lookup/no-longer-enforced", "value/unit-suspected", "value/precision-lost"] {
            assert!(names(&left).iter().any(|name| name.starts_with(rule)), "{rule}: {left:?}");
        }
        edits.iter().for_each(|(from, to)| project.edit("app/harvest.toml", from, to));
        closed.iter().for_each(|pattern| drop(project.expect(0, &["decide", pattern])));
        change(back);
        project.merge(&[]);
        let open: Vec<String> =
            follow_ups(&project, &["check"]).into_iter().filter(|(name, _)| !name.starts_with("page/")).map(|(name, _)| name).collect();
        assert_eq!(open, expected, "{by_hand}");
    }
}

#[test]
fn closing_a_follow_up_hinders_no_undo() {
    let project = changed_demo(None);
    let before = project.definition();
    project.expect(0, &["merge", "--write", "--safe"]);
    project.expect(0, &["decide", "done/code/*"]);
    project.expect(0, &["undo"]);
    project.same_definition(&before);
}

#[test]
fn a_translation_of_another_text_is_looked_through_until_its_mark_is_taken_away() {
    let project = Project::new(
        "CREATE TABLE yard (id INTEGER PRIMARY KEY, name TEXT NOT NULL); CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT NOT NULL, yard_id INTEGER REFERENCES yard (id))",
    );
    project.write("app/labels.de.po", "msgctxt \"hive/field/yard/label\"\nmsgid \"Yard\"\nmsgstr \"Stand\"\n");
    project.sql("DROP TABLE yard");
    project.expect(0, &["merge", "--write", "--safe"]);
    let name = "label/translation-fuzzy/de/hive/field/yard/label";
    assert!(names(&follow_ups(&project, &["check"])).contains(&name));
    project.edit("app/labels.de.po", "#, fuzzy\n", "");
    assert!(!names(&follow_ups(&project, &["check"])).contains(&name));
    // Forgotten with the next merge: one that a person marks is nobody's follow-up.
    project.sql("ALTER TABLE hive ADD COLUMN built_on DATE");
    project.expect(0, &["merge", "--write", "--safe"]);
    project.edit("app/labels.de.po", "msgctxt", "#, fuzzy\nmsgctxt");
    assert!(!names(&follow_ups(&project, &["check"])).contains(&name));
}

#[test]
fn what_a_change_reaches_is_all_that_the_whole_definition_would_tell() {
    use crate::by_hand::Hand;
    use crate::model::{Database, Random};
    let mut told = 0;
    for seed in 1..=30 {
        let mut random = Random::new(seed ^ 0x1EF7);
        let original = Database::random(&mut random);
        let dir = tempfile::tempdir().unwrap();
        start(dir.path(), &crate::properties::random_begin(), &original.schema()).unwrap();
        crate::properties::edit_by_hand(dir.path(), &original, &mut random, Hand::AsWritten);
        let mut next = original.clone();
        for _ in 0..1 + random.below(4) {
            next.mutate(&mut random);
        }
        let accepted = Workspace::open(dir.path()).unwrap().accepted().clone();
        let outcome = crate::properties::merge_answered(dir.path(), &original, &next, &original, &mut |q| q.safe.clone());
        let around = Around::default();
        let judged = |tree: Tree| follow_ups_of_change(tree, &accepted, &next.schema(), &outcome.comparison, &around);
        let whole = judged(outcome.tree.clone());
        assert_eq!(judged(concerned_part(&outcome.tree, &outcome.comparison)), whole, "seed {seed}");
        told += whole.len();
    }
    assert!(told > 10, "only {told} follow-ups: the changes are too kind");
}
