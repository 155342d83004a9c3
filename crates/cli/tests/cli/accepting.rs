//! What stands around a merge: `accept` takes over a changed schema that concerns nothing, and many like questions are answered at
//! once.

use crate::support::Project;

const SQL: &str = "CREATE TABLE yard (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL, place TEXT);";

#[test]
fn what_concerns_nothing_is_accepted_and_can_be_undone() {
    let project = Project::new(SQL);
    let before = project.definition();
    assert!(project.expect(0, &["accept"]).starts_with("Nothing to accept"));
    project.sql("CREATE INDEX by_id_and_place ON yard (id, place)");
    project.expect(1, &["changes"]);
    let told = project.expect(0, &["accept"]);
    assert!(told.starts_with("Accepted: 1 change in the database"), "{told}");
    project.same_definition(&before);
    project.expect(0, &["changes"]);
    project.expect(0, &["undo"]);
    project.expect(1, &["changes"]);
    project.same_definition(&before);
}

#[test]
fn what_a_merge_would_edit_or_ask_is_not_accepted() {
    for (sql, told) in [
        ("ALTER TABLE yard DROP COLUMN place", "a merge would edit 1 file"),
        ("ALTER TABLE yard RENAME COLUMN place TO spot", "asks 1 question"),
        ("CREATE TABLE hive (id INTEGER PRIMARY KEY)", "a merge asks 1 question"),
    ] {
        let project = Project::new(SQL);
        let (before, accepted) = (project.definition(), project.read(".ysomorph/accepted.json"));
        project.sql(sql);
        let out = project.expect(1, &["accept"]);
        assert!(out.starts_with("Not accepted:") && out.contains(told), "{sql}: {out}");
        project.same_definition(&before);
        assert_eq!(project.read(".ysomorph/accepted.json"), accepted);
    }
}

#[test]
fn a_pattern_answers_every_open_question_like_it_or_none() {
    let project = Project::new(SQL);
    project.sql("CREATE TABLE hive (id INTEGER PRIMARY KEY); CREATE TABLE visit (id INTEGER PRIMARY KEY)");
    let before = project.definition();
    project.expect(2, &["decide", "table/*", "append"]);
    project.expect(2, &["decide", "limit/*", "in"]);
    assert!(!project.path("decisions.toml").exists());
    let told = project.expect(0, &["decide", "table/*", "in", "--reason", "both are ours"]);
    assert_eq!(told, "Taken: table/hive is answered in.\nTaken: table/visit is answered in.\n");
    project.expect(0, &["decide", "--list"]);
    project.expect(0, &["merge", "--write"]);
    assert!(project.definition().len() == before.len() + 2);
}

#[test]
fn answers_of_a_file_are_taken_all_or_none() {
    let project = Project::new(SQL);
    project.sql("ALTER TABLE yard RENAME COLUMN place TO spot; ALTER TABLE yard RENAME TO apiary; CREATE TABLE a (id INTEGER PRIMARY KEY); CREATE TABLE b (id INTEGER PRIMARY KEY)");
    let answer = |question: &str, choice: &str| format!("[[answer]]\nquestion = \"{question}\"\nchoice = \"{choice}\"\n\n");
    // The table's answer leads to the column's question; a pattern answers what is like it.
    let good = answer("rename/yard.place", "spot") + &answer("rename/yard", "apiary");
    for (file, text, told) in [
        ("unknown.toml", good.clone() + &answer("rename/yard.name", "x"), "nothing asks `rename/yard.name`"),
        ("wrong.toml", good.clone() + &answer("table/a", "perhaps"), "`perhaps` is not a choice of `table/a`"),
        ("key.toml", good.clone() + "[[answers]]\n", "unknown field"),
        ("no.toml", String::new(), "cannot read the answers"),
    ] {
        if file != "no.toml" {
            project.write(file, &text);
        }
        let file = project.path(file).display().to_string();
        let printed = project.expect(2, &["decide", "--file", &file]);
        assert!(printed.contains(told), "{told}:\n{printed}");
        assert!(!project.path("decisions.toml").exists());
    }
    project.write("good.toml", &(good + "[[answer]]\nquestion = \"table/*\"\nchoice = \"in\"\nwho = \"Mara\"\nreason = \"asked for\"\n"));
    let file = project.path("good.toml").display().to_string();
    assert_eq!(project.expect(0, &["decide", "--file", &file]).matches("Taken:").count(), 4);
    assert!(project.read("decisions.toml").contains("who = \"Mara\""));
    project.merge(&[]);
    // The entry tells who answered and why.
    let entry = project.latest_entry();
    let told = project.expect(0, &["history", &entry]);
    assert!(told.contains("asked for (Mara, ") && told.contains("yard.place → spot"), "{told}");
    let with_diff = project.expect(0, &["history", &entry, "--diff"]);
    assert!(with_diff.contains("-table = \"yard\"\n+table = \"apiary\""), "{with_diff}");
}
