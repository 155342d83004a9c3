//! Histories in a few words: what happens to a database, what people write between merges, and what stands in the files then.
//!
//! ```text
//! # What it is about.
//! sql ALTER TABLE keeper DROP COLUMN phone     what its owner does to the database
//! hand keeper: from => to                      an edit by hand of `app/keeper.toml`; `\n` is the end of a line
//! add keeper: text                             something written at its end
//! merge rename/keeper.phone=mobile             a merge with answers, safe ones for the rest
//! keep A                                       the files as they are now
//! same A                                       they are so again, to the byte
//! has keeper: text                             a file says this; `lacks` that it doesn't
//! ```
//!
//! After every merge the definition is sound, and merging again changes nothing.

use crate::stories::BEES;
use crate::support::Project;
use std::collections::BTreeMap;

#[track_caller]
fn histories(tables: &str, text: &str) {
    for history in text.split("\n\n").map(str::trim).filter(|h| !h.is_empty()) {
        let run = std::panic::catch_unwind(|| go_through(tables, history));
        if let Err(why) = run {
            let why = why.downcast_ref::<String>().cloned().or_else(|| why.downcast_ref::<&str>().map(|s| (*s).to_owned()));
            panic!("{history}\n----\n{}", why.unwrap_or_default());
        }
    }
}

fn go_through(tables: &str, history: &str) {
    let project = Project::new(tables);
    let mut kept = BTreeMap::new();
    for line in history.lines().map(str::trim).filter(|line| !line.starts_with('#')) {
        let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
        let rest = rest.trim();
        let file = || {
            let (file, text) = rest.split_once(':').unwrap_or_else(|| panic!("`{rest}` names no file"));
            (format!("app/{file}.toml"), text.trim().replace("\\n", "\n"))
        };
        match word {
            "sql" => project.sql(rest),
            "hand" => {
                let (file, text) = file();
                let (from, to) = text.split_once("=>").unwrap_or_else(|| panic!("`{text}` doesn't say what becomes of what"));
                project.edit(&file, from.trim(), to.trim());
                project.expect(0, &["check"]);
            }
            "add" => {
                let (file, text) = file();
                project.append(&file, &format!("\n{text}\n"));
                project.expect(0, &["check"]);
            }
            "merge" => {
                let answers: Vec<(&str, &str)> = rest.split_whitespace().filter_map(|answer| answer.split_once('=')).collect();
                project.merge(&answers);
                project.expect(0, &["check"]);
            }
            "keep" => drop(kept.insert(rest.to_owned(), project.definition())),
            "same" => project.same_definition(kept.get(rest).unwrap_or_else(|| panic!("nothing is kept as `{rest}`"))),
            "has" | "lacks" => {
                let (file, expected) = file();
                let text = project.read(&file);
                assert_eq!(text.contains(&expected), word == "has", "{line}\n{text}");
            }
            other => panic!("`{other}` says nothing"),
        }
    }
}

#[test]
fn a_name_that_was_taken_by_hand_stays_with_whoever_took_it() {
    histories(
        BEES,
        r#"
# A formula took the name of a field that was away: both are there, each as it was written.
hand keeper: column = "phone"\nkind = "phone" => column = "phone"\nkind = "phone"\nlabel = "Call"   # first
sql ALTER TABLE keeper DROP COLUMN phone
merge
add keeper: [field.phone]\nformula = "1 + 1" # ours\nkind = "number"   # a sum\nlabel = "Two"
keep without
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
has keeper: [field.phone]\nformula = "1 + 1" # ours\nkind = "number"   # a sum\nlabel = "Two"
has keeper: [field.phone_2]\ncolumn = "phone"\nkind = "phone"\nlabel = "Call"   # first
has keeper: fields = ["name", "place", "phone_2", "region", "postcode"]
keep with
sql ALTER TABLE keeper DROP COLUMN phone
merge
same without
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
same with

# It is on a page, under that name, and hidden from somebody.
hand keeper: [access.everyone]\nread = true => [access.everyone]\nhide = ["phone"]\nread = true
sql ALTER TABLE keeper DROP COLUMN phone
merge
add keeper: [field.phone]\nformula = "1 + 1"\nkind = "number"
hand keeper: ["name", "place", "region", "postcode"] => ["name", "place", "phone", "region", "postcode"]
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
has keeper: hide = ["phone_2"]

# A set took it.
sql CREATE TABLE r (id INTEGER PRIMARY KEY); DROP TABLE region; ALTER TABLE r RENAME TO region
merge
add region: [field.name]\nkind = "related"\nrelated = { entity = "region", through = "apiary", here = ["id"], there = ["keeper_id"] }
keep without
sql DROP TABLE region; CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL UNIQUE)
merge
has region: [field.name_2]\ncolumn = "name"
has region: title = "{name_2}"

# On one line.
sql ALTER TABLE keeper DROP COLUMN phone
merge
hand keeper: label = { one = "Keeper", many = "Keepers" } => label = { one = "Keeper", many = "Keepers" }\nfield.phone = { formula = "1" }
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
has keeper: field.phone = { formula = "1" }
has keeper: [field.phone_2]\ncolumn = "phone"
"#,
    );
}

#[test]
fn a_lookup_goes_as_a_whole_where_its_target_loses_its_key() {
    let without_key = "CREATE TABLE k2 (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, postcode VARCHAR(10), place VARCHAR(60), phone VARCHAR(20), region_id INTEGER); DROP TABLE keeper; ALTER TABLE k2 RENAME TO keeper; DROP TABLE region; CREATE TABLE region (id INTEGER, name VARCHAR(40) NOT NULL UNIQUE)";
    let with_key = "DROP TABLE keeper; DROP TABLE region; CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL UNIQUE); CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, postcode VARCHAR(10), place VARCHAR(60), phone VARCHAR(20), region_id INTEGER REFERENCES region (id))";
    for said in [
        "value = [\"id\"]",
        "show = \"{name}!\"",
        "order = [\"name\"]",
        "where = \"name <> ''\"",
        "show = \"{name}!\", where = \"name <> ''\", order = [\"-name\"]",
    ] {
        histories(
            BEES,
            &format!(
                r#"
hand keeper: lookup = {{ entity = "region" }} => lookup = {{ entity = "region", {said} }}   # ours
keep with
sql {without_key}
merge
keep without
sql {with_key}
merge
same with
sql {without_key}
merge
same without
"#
            ),
        );
    }
}

#[test]
fn a_query_of_ones_own_and_new_columns() {
    histories(
        BEES,
        r#"
# A new column that the query doesn't give is on no page.
add keeper: [source]\nselect = "SELECT id, name, postcode, place, phone, region_id FROM keeper WHERE place <> ''"
keep before
sql ALTER TABLE keeper ADD COLUMN shoe INTEGER
merge
lacks keeper: shoe
sql ALTER TABLE keeper DROP COLUMN shoe
merge
same before

# Nor does a field of something else that has its name become the column's.
add keeper: [source]\nselect = "SELECT id, name, postcode, place, phone, region_id, 1 AS shoe FROM keeper"\n\n[field.shoe]\ncolumn = "shoe"\nkind = "number"\nread_only = true\nlabel = "One"
keep before
sql ALTER TABLE keeper ADD COLUMN shoe VARCHAR(20)
merge
same before
sql ALTER TABLE keeper DROP COLUMN shoe
merge
same before

# A query that gives everything gives the new column too.
add keeper: [source]\nselect = "SELECT k.* FROM keeper k WHERE place <> ''"
keep before
sql ALTER TABLE keeper ADD COLUMN shoe INTEGER
merge
has keeper: [field.shoe]
sql ALTER TABLE keeper DROP COLUMN shoe
merge
same before

# One that is set aside leaves nothing to see, until its names are back.
add keeper: [source]\nselect = "SELECT k.* FROM keeper k WHERE phone <> ''"   # who can be called
keep before
sql ALTER TABLE keeper DROP COLUMN phone
merge source/keeper=set-aside
has keeper: select = "SELECT * FROM \"keeper\" WHERE 1 = 0"   # who can be called
keep aside
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
same before
sql ALTER TABLE keeper DROP COLUMN phone
merge source/keeper=set-aside
same aside
"#,
    );
}

#[test]
fn what_a_person_chose_stays_chosen() {
    histories(
        BEES,
        r#"
# A section that a person calls otherwise is the one it was, with what is hidden in it.
sql ALTER TABLE keeper DROP COLUMN place
merge
hand keeper: [page.detail]\nsections = [\n  { title = "Keeper" => [page.detail]\nsections = [\n  { title = "Person"
sql ALTER TABLE keeper DROP COLUMN phone
merge
hand keeper: [page.detail]\nsections = [\n  { title = "Person" => [page.detail]\nsections = [\n  { title = "Who"
sql ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)
merge
has keeper: { title = "Who", fields = ["name", "postcode", "phone", "region"] }
# A title is no layout: the new field is placed.
sql ALTER TABLE keeper ADD COLUMN shoe INTEGER
merge
has keeper: { title = "Who", fields = ["name", "postcode", "phone", "shoe", "region"] }

# What a list is sorted and searched by is chosen where a person wrote it.
hand keeper: search = ["name", "phone"]\nfilter = ["region"]\nsort = ["name"] => search = ["name"]\nfilter = ["region"]\nsort = ["name", "place"]
keep before
sql ALTER TABLE keeper ADD COLUMN nickname VARCHAR(60) NOT NULL DEFAULT ''
merge
has keeper: search = ["name"]\nfilter = ["region"]\nsort = ["name", "place"]
sql ALTER TABLE keeper DROP COLUMN nickname
merge
same before

# Where the page is a person's and the order isn't, that follows.
hand keeper: [page.list]\nfields = ["name", "place", "phone", "region", "postcode"] => [page.list]\nfields = ["place", "name"]
sql ALTER TABLE keeper DROP COLUMN name
merge
lacks keeper: sort = []
"#,
    );
}

#[test]
fn menus_of_ones_own() {
    histories(
        BEES,
        r#"
# Tables go and come; the menu stays as it was laid out.
hand app: [[menu]]\nlabel = "Records"\nitems = ["apiary", "keeper", "region"] => [[menu]]\nlabel = "Mine"\nitems = ["keeper"]\n\n[[menu]]\nlabel = "Theirs"\nitems = ["region", "apiary"]   # rest
keep before
sql CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(20) NOT NULL UNIQUE)
merge table/hive=in
has app: [[menu]]\nlabel = "Mine"\nitems = ["keeper"]\n\n[[menu]]\nlabel = "Theirs"\nitems = ["region", "apiary"]   # rest
has app: [[menu]]\nlabel = "Records"\nitems = ["hive"]
keep with
sql DROP TABLE hive
merge
same before
sql CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(20) NOT NULL UNIQUE)
merge
same with
sql DROP TABLE apiary
merge
sql CREATE TABLE apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, keeper_id INTEGER NOT NULL REFERENCES keeper (id))
merge
same with
# What a person moved meanwhile stays where it was put.
hand app: items = ["keeper"] => items = ["keeper", "hive"]
hand app: \n\n[[menu]]\nlabel = "Records"\nitems = ["hive"] =>
keep moved
sql DROP TABLE hive
merge
sql CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(20) NOT NULL UNIQUE)
merge
same moved
"#,
    );
}

#[test]
fn keys_that_went_and_came() {
    histories(
        BEES,
        r#"
# A key that was guessed comes back when the declared one goes.
sql CREATE TABLE tag (code VARCHAR(8) NOT NULL, label VARCHAR(20))
merge table/tag=in
keep guessed
sql DROP TABLE tag; CREATE TABLE tag (code VARCHAR(8) NOT NULL PRIMARY KEY, label VARCHAR(20))
merge
keep declared
sql DROP TABLE tag; CREATE TABLE tag (code VARCHAR(8) NOT NULL, label VARCHAR(20))
merge
same guessed
sql DROP TABLE tag; CREATE TABLE tag (code VARCHAR(8) NOT NULL PRIMARY KEY, label VARCHAR(20))
merge
same declared

# A title falls back to a key that is there.
hand keeper: title = "{name}" => title = "{phone}: {name}"   # ours
keep before
sql ALTER TABLE apiary RENAME TO a; CREATE TABLE apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, keeper_id INTEGER NOT NULL); DROP TABLE a; DROP TABLE keeper; CREATE TABLE keeper (place VARCHAR(60) PRIMARY KEY NOT NULL, region_id INTEGER REFERENCES region (id))
merge
sql ALTER TABLE apiary RENAME TO a; CREATE TABLE apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, keeper_id INTEGER NOT NULL REFERENCES keeper (id)); DROP TABLE a; DROP TABLE keeper; CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, postcode VARCHAR(10), place VARCHAR(60), phone VARCHAR(20), region_id INTEGER REFERENCES region (id))
merge
same before
"#,
    );
}

#[test]
fn child_lists_that_were_deleted() {
    let tables = "
CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL);
CREATE TABLE visit (id INTEGER PRIMARY KEY, day DATE NOT NULL, note VARCHAR(60), keeper_id INTEGER NOT NULL REFERENCES keeper (id));
CREATE TABLE call (id INTEGER PRIMARY KEY, day DATE NOT NULL, note VARCHAR(60), keeper_id INTEGER NOT NULL REFERENCES keeper (id));
";
    histories(
        tables,
        r#"
# A member that comes back doesn't go into another entity's list.
hand keeper:   { entity = "visit", by = "keeper", fields = ["day", "note"], sort = ["-day"] },\n =>
keep before
sql ALTER TABLE visit DROP COLUMN note
merge
sql ALTER TABLE visit ADD COLUMN note VARCHAR(60)
merge
same before
sql ALTER TABLE visit ADD COLUMN hours INTEGER
merge
lacks keeper: hours
has visit: hours
sql ALTER TABLE visit DROP COLUMN hours
merge
same before
sql DROP TABLE visit
merge
sql CREATE TABLE visit (id INTEGER PRIMARY KEY, day DATE NOT NULL, note VARCHAR(60), keeper_id INTEGER NOT NULL REFERENCES keeper (id))
merge
same before
"#,
    );
}

#[test]
fn a_database_that_has_nothing_of_what_is_known_is_taken_for_another() {
    let project = Project::new(BEES);
    let before = project.definition();
    let gone = "DROP TABLE IF EXISTS apiary; DROP TABLE IF EXISTS keeper; DROP TABLE IF EXISTS region;";
    for (there, named) in [("", "no table at all"), ("CREATE TABLE parcel (id INTEGER PRIMARY KEY);", "parcel")] {
        project.sql(&format!("{gone} {there}"));
        // Looking shows what would come of it.
        project.expect(1, &["merge", "--safe"]);
        let told = project.expect(2, &["merge", "--write", "--safe"]);
        assert!(told.contains("none of the 3 tables") && told.contains(named) && told.contains("--all-gone"), "{told}");
        project.same_definition(&before);
    }
    project.expect(0, &["merge", "--write", "--safe", "--all-gone"]);
    assert!(!project.path("app/keeper.toml").exists());
    project.sql(&format!("DROP TABLE parcel; {BEES}"));
    project.merge(&[]);
    project.same_definition(&before);
}
