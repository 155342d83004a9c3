//! What people made, deleted or customised stays theirs, through merges and in what `custom` tells.

use crate::stories::BEES;
use crate::support::{Project, assert_same_files, files_below};

#[test]
fn a_second_entity_and_a_deleted_field_stay_as_people_made_them() {
    let project = Project::new(BEES);
    let copy =
        project.read("app/keeper.toml").replace("{ one = \"Keeper\", many = \"Keepers\" }", "{ one = \"Member\", many = \"Members\" }");
    project.write("app/member.toml", &copy);
    let keeper = project
        .read("app/keeper.toml")
        .replace("[field.phone]\ncolumn = \"phone\"\nkind = \"phone\"\nmax_length = 20\n\n", "")
        .replace("\"phone\", ", "")
        .replace(", \"phone\"]", "]");
    project.write("app/keeper.toml", &keeper);
    // It is on another entity's list of keepers, too.
    project.edit("app/region.toml", "\"place\", \"phone\", ", "\"place\", ");
    project.expect(0, &["check"]);
    let before = project.definition();
    project.sql("ALTER TABLE keeper RENAME COLUMN place TO town; ALTER TABLE keeper RENAME COLUMN phone TO mobile");
    project.merge(&[("rename/keeper.place", "town"), ("rename/keeper.phone", "mobile")]);
    assert!(project.read("app/member.toml").contains("column = \"town\"") && project.read("app/keeper.toml").contains("column = \"town\""));
    assert!(!project.read("app/keeper.toml").contains("mobile"), "a deleted field stays deleted under its new name");
    project.sql("ALTER TABLE keeper RENAME COLUMN town TO place; ALTER TABLE keeper RENAME COLUMN mobile TO phone");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn the_generator_never_names_what_a_person_deleted() {
    let project = Project::new(
        "CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL);
         CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, motto VARCHAR(40) UNIQUE, weight INTEGER)",
    );
    // Two fields and an entity go, with all that names them.
    let hive = project.read("app/hive.toml");
    let hive = hive
        .replace("[field.motto]\ncolumn = \"motto\"\nkind = \"text\"\nunique = true\nmax_length = 40\n\n", "")
        .replace(", \"motto\"", "");
    let hive = hive.replace("[field.weight]\ncolumn = \"weight\"\nkind = \"number\"\n\n", "").replace(", \"weight\"", "");
    project.write("app/hive.toml", &hive);
    std::fs::remove_file(project.path("app/region.toml")).unwrap();
    project.edit("app/app.toml", ", \"region\"", "");
    project.expect(0, &["check"]);
    let before = project.definition();
    // The draft would now search by weight, call hives by their motto, and look regions up.
    project.sql(
        "CREATE TABLE h (id INTEGER PRIMARY KEY, motto VARCHAR(40) UNIQUE, weight VARCHAR(9), region_id INTEGER REFERENCES region (id));
         DROP TABLE hive; ALTER TABLE h RENAME TO hive",
    );
    project.merge(&[]);
    project.expect(0, &["check"]);
    let hive = project.read("app/hive.toml");
    assert!(!hive.contains("weight") && !hive.contains("motto") && !hive.contains("entity = \"region\""), "{hive}");
    project.sql(
        "DROP TABLE hive; CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, motto VARCHAR(40) UNIQUE, weight INTEGER)",
    );
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn a_page_that_a_merge_added_and_a_person_customised_is_the_persons() {
    let project =
        Project::new("CREATE TABLE box (id INTEGER PRIMARY KEY, name TEXT NOT NULL); CREATE VIEW hive AS SELECT id, name FROM box");
    let (table, view) = (
        "DROP VIEW hive; CREATE TABLE hive (id INTEGER PRIMARY KEY, name TEXT NOT NULL)",
        "DROP TABLE hive; CREATE VIEW hive AS SELECT id, name FROM box",
    );
    let before = project.definition();
    project.sql(table);
    project.merge(&[]);
    assert!(project.read("app/hive.toml").contains("[page.add]"));
    project.sql(view);
    project.merge(&[]);
    project.same_definition(&before);
    project.sql(table);
    project.merge(&[]);
    let text = project.read("app/hive.toml");
    let (head, add) = text.split_at(text.find("[page.add]").unwrap());
    project.write("app/hive.toml", &format!("{head}{}", add.replacen("title = \"Hive\"", "title = \"A new hive\"", 1)));
    project.sql(view);
    project.merge(&[]);
    assert!(project.read("app/hive.toml").contains("A new hive"), "{}", project.read("app/hive.toml"));
}

#[test]
fn every_customisation_is_told_and_can_be_given_up() {
    let project = Project::folder();
    project.expect(0, &["demo", ".", "--only-files"]);
    let listed: serde_json::Value = serde_json::from_str(&project.expect(0, &["custom", "--format", "json"])).unwrap();
    let kept = listed["kept"].as_array().unwrap();
    assert!(kept.len() > 25, "{}", kept.len());
    let before = files_below(project.dir.path());
    for one in kept {
        let path = one["path"].as_str().unwrap();
        let shown = project.expect(0, &["custom", "--reset", path]);
        assert!(shown.contains("nothing was written") && shown.contains("\n@@ "), "{path}: {shown}");
    }
    assert_same_files(&before, &files_below(project.dir.path()), "custom wrote something");
    let printed = project.expect(0, &["custom", "hive"]);
    for told in ["7 customisations in 1 file", "field/tag/label", "\"Hive number\"; the draft says nothing", "app/hive.toml:23:9"] {
        assert!(printed.contains(told), "{told}: {printed}");
    }
    assert!(project.expect(2, &["custom", "--reset", "hive/titel"]).contains("did you mean `hive/title`?"));
    // What is given up is the draft's again: nothing is customised there any more.
    project.edit("app/hive.toml", "title = \"{tag} at {apiary.name}\"", "title = \"{tag}\"");
    assert!(!project.expect(0, &["custom", "hive"]).contains("\n  title"));
    let fresh = Project::new("CREATE TABLE a (id INTEGER PRIMARY KEY, name TEXT)");
    assert_eq!(fresh.expect(0, &["custom"]), "Nothing is customised: the definition is as it was drafted.\n");
}
