//! `show`: a page as people see it, on a real database.

use crate::support::Project;

#[test]
fn a_page_is_drawn_with_records_for_each_role_and_language_broken_and_mended() {
    let project = Project::folder();
    project.expect(0, &["demo", ".", "--only-files"]);
    let before = crate::support::files_below(project.dir.path());
    for (arguments, expected, not) in [
        (vec!["show", "apiary"], vec!["Yards: list", "Looked after by", "Thorn, Isa (K-001)", "sorted by  Name"], vec!["broken"]),
        (
            vec!["show", "hive/edit"],
            vec!["-- Hive", "one of Log, Straw skep", "chosen from Yards", "Frame  (required"],
            vec!["row_version", "____"],
        ),
        (vec!["show", "hive/add"], vec!["____  (required"], vec!["W-1"]),
        (vec!["show", "apiary", "--role", "keeper"], vec!["give --with user_keeper=…", "offers     edit | export"], vec!["Thorn"]),
        (vec!["show", "apiary", "--role", "keeper", "--with", "user_keeper=1"], vec!["Willow bend"], vec!["Quarry edge"]),
        (vec!["show", "apiary", "--language", "de"], vec!["Stände", "Betreut von"], vec!["Looked after by"]),
        (vec!["show", "keeper/detail", "--role", "vet"], vec!["-- Yards", "-- Inspections", "linked records"], vec!["Post code"]),
        (vec!["show", "harvest/by-region"], vec!["grouped by Region", "12.5"], vec!["broken"]),
    ] {
        let shown = project.expect(0, &arguments);
        assert!(expected.iter().all(|e| shown.contains(e)) && !not.iter().any(|n| shown.contains(n)), "{arguments:?}:\n{shown}");
        assert!(shown.lines().all(|l| l.chars().count() <= 80), "{shown}");
    }
    crate::support::assert_same_files(&before, &crate::support::files_below(project.dir.path()), "show wrote something");
    for (arguments, expected) in [
        (["show", "hiv", "", ""], "did you mean `hive`?"),
        (["show", "hive/lsit", "", ""], "did you mean `list`?"),
        (["show", "hive", "--role", "vett"], "did you mean `vet`?"),
        (["show", "harvest", "--role", "vet"], "may not use"),
        (["show", "hive", "--language", "fr"], "there is no such catalogue"),
    ] {
        let arguments: Vec<&str> = arguments.into_iter().filter(|a| !a.is_empty()).collect();
        assert!(project.expect(2, &arguments).contains(expected), "{arguments:?}");
    }
    let after = include_str!("../../demo/sqlite/after.sql");
    let connection = rusqlite::Connection::open(project.path("threecombs.db")).unwrap();
    connection.pragma_update(None, "foreign_keys", false).unwrap();
    connection.execute_batch(after).unwrap();
    project.expect(0, &["decide", "rename/keeper.postcode", "postal_code"]);
    let shown = project.expect(0, &["show", "keeper"]);
    let side = |skipped: usize| -> String {
        shown
            .lines()
            .map(|l| l.chars().skip(skipped).take(38).collect::<String>() + "\n")
            .take_while(|l| !l.starts_with("Guessed"))
            .collect()
    };
    let (now, merged) = (side(0), side(41));
    assert!(now.contains("broken: field `postcode`") && !merged.contains("broken") && merged.contains("4120"), "{shown}");
    assert!(now.contains("Post code") && merged.contains("Post code"), "one field, on both sides: {shown}");
    assert!(shown.lines().all(|l| l.chars().count() <= 80), "{shown}");
}

/// A guess is told as long as nobody has changed what was guessed.
#[test]
fn a_page_tells_what_of_it_is_a_guess() {
    let project = Project::folder();
    project.expect(0, &["demo", ".", "--only-files"]);
    let guesses = |page: &str| {
        let said = project.expect(0, &["show", page]);
        said.split_once("Guessed, and unchanged").map(|(_, guesses)| guesses.to_owned()).unwrap_or_default()
    };
    assert!(guesses("keeper").contains("called     {last_name}, {first_name}") && guesses("keeper").contains("name_kinds"));
    assert!(!guesses("keeper").contains("portrait"), "it isn't on the list");
    assert!(!guesses("hive").contains("\n  called "), "the title is a person's own");
    project.edit("app/keeper.toml", "title = \"", "title = \"Keeper ");
    assert!(!guesses("keeper").contains("\n  called "));
}

#[test]
fn translations_of_what_goes_wait_and_come_back() {
    let project = Project::folder();
    project.expect(0, &["demo", ".", "--only-files"]);
    let run = |sql: &str| rusqlite::Connection::open(project.path("threecombs.db")).unwrap().execute_batch(sql).unwrap();
    let before = project.definition();
    run("ALTER TABLE colony DROP COLUMN queen_mark");
    assert!(project.expect(1, &["merge"]).contains("+#~ msgctxt \"colony/field/queen_mark/label\""));
    project.merge(&[]);
    assert!(project.read("app/labels.de.po").contains("#~ msgstr \"Zeichen der Königin\""));
    run("ALTER TABLE colony ADD COLUMN queen_mark VARCHAR(20)");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn two_lists_of_the_same_records_are_told_apart() {
    let project = Project::new(
        "CREATE TABLE keeper (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
         CREATE TABLE visit (id INTEGER PRIMARY KEY, visited_on DATE, motto TEXT,
             keeper_id INTEGER NOT NULL REFERENCES keeper (id), helper_id INTEGER REFERENCES keeper (id))",
    );
    project.edit(
        "app/keeper.toml",
        "by = \"helper\", fields = [\"keeper\", \"visited_on\", \"motto\"]",
        "by = \"helper\", fields = [\"keeper\", \"visited_on\"]",
    );
    project.sql("ALTER TABLE visit DROP COLUMN motto");
    let drawn: serde_json::Value = serde_json::from_str(&project.expect(0, &["show", "keeper/detail", "--format", "json"])).unwrap();
    let lists = drawn["drawn"][0]["page"]["children"].as_array().unwrap();
    let told: Vec<(&str, bool)> = lists.iter().map(|list| (list["label"].as_str().unwrap(), list["broken"].is_string())).collect();
    assert_eq!(told, [("Visits: Keeper", true), ("Visits: Helper", false)]);
}
