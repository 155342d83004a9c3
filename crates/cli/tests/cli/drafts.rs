//! Drafts are sound, the same for the same schema, and every statement they need is one the real database takes.

use crate::agreement::refused;
use crate::journey::HARBOUR;
use crate::model::{Database, Random};
use rusqlite::Connection;
use ysomorph_core::definition::{Tree, validate};
use ysomorph_core::draft::{Conventions, DraftInput, Made, NamesInUse, draft};
use ysomorph_core::schema::Schema;
use ysomorph_sources::sqlite::{prepare_connection, read_from};

fn drafted(schema: &Schema) -> Tree {
    let names = NamesInUse::default();
    let conventions = Conventions::default();
    draft(schema, &DraftInput { conventions: &conventions, names: &names, open_to: Some("everyone"), title: "Test", earlier: None }).tree
}

#[test]
fn a_draft_that_takes_over_what_another_made_is_the_same() {
    let conventions = Conventions { references_by_name: true, ..Conventions::default() };
    let names = NamesInUse::default();
    for seed in 1..200 {
        let random = &mut Random::new(seed);
        let before = Database::random(random);
        let mut after = before.clone();
        for _ in 0..random.below(4) {
            after.mutate(random);
        }
        let plan = |schema: &Schema, earlier: Option<&Made>| {
            draft(schema, &DraftInput { conventions: &conventions, names: &names, open_to: None, title: "", earlier })
        };
        let made = plan(&before.schema(), None).made;
        let (alone, with) = (plan(&after.schema(), None), plan(&after.schema(), Some(&made)));
        assert!(alone.tree == with.tree && alone.keys == with.keys, "{seed}");
    }
}

#[test]
fn every_draft_is_sound_and_every_statement_of_it_is_taken() {
    let mut databases: Vec<String> = vec![HARBOUR.to_owned(), include_str!("../../demo/sqlite/before.sql").to_owned()];
    databases.extend((1..60).map(|seed| Database::random(&mut Random::new(seed)).sql()));
    for sql in databases {
        let connection = Connection::open_in_memory().unwrap();
        connection.execute_batch(&sql).unwrap();
        prepare_connection(&connection).unwrap();
        let schema = read_from(&connection).unwrap();
        let tree = drafted(&schema);
        assert_eq!(validate(&tree, &schema), [], "{sql}");
        assert_eq!(refused(&tree, &schema, &connection), std::collections::BTreeSet::new(), "{sql}");
        for (file, node) in &tree.files {
            let text = ysomorph_workspace::toml::render_file(node);
            assert_eq!(&ysomorph_workspace::toml::parse(&text).unwrap(), node, "{}", file.path());
            assert_eq!(
                text,
                ysomorph_workspace::toml::render_file(drafted(&schema).files.get(file).unwrap()),
                "the same schema, the same bytes"
            );
        }
    }
}

#[test]
fn a_draft_reads_as_a_practitioner_would_have_begun() {
    let connection = Connection::open_in_memory().unwrap();
    connection.execute_batch(include_str!("../../demo/sqlite/before.sql")).unwrap();
    prepare_connection(&connection).unwrap();
    let tree = drafted(&read_from(&connection).unwrap());
    let text = |entity: &str, path: &[&str]| {
        let path: Vec<_> = path.iter().map(|p| (*p).into()).collect();
        tree.entity(entity).and_then(|e| e.at_path(&path)).map(ysomorph_workspace::toml::render_value).unwrap_or_default()
    };
    for (entity, path, expected) in [
        ("keeper", vec!["title"], "\"{last_name}, {first_name}\""),
        ("keeper", vec!["field", "member_no", "label"], "\"Member number\""),
        ("keeper", vec!["field", "region", "lookup"], "{ entity = \"region\" }"),
        ("keeper", vec!["field", "api_token", "hidden"], "true"),
        ("keeper", vec!["field", "portrait", "kind"], "\"image\""),
        ("keeper", vec!["field", "email", "kind"], "\"email\""),
        ("keeper", vec!["field", "id", "read_only"], "true"),
        ("keeper", vec!["page", "list", "sort"], "[\"last_name\", \"first_name\"]"),
        ("inspection", vec!["title"], "\"{colony}, {inspected_on}\""),
        ("apiary", vec!["label"], "{ one = \"Apiary\", many = \"Apiaries\" }"),
        ("hive", vec!["field", "row_version", "read_only"], "true"),
        ("harvest_by_apiary", vec!["read_only"], "true"),
        ("harvest_by_apiary", vec!["page", "add"], ""),
    ] {
        assert_eq!(text(entity, &path), expected, "{entity}/{}", path.join("/"));
    }
}

/// Every kind of guess names a convention, and turning that convention makes `start` guess otherwise.
#[test]
fn each_guess_is_changed_by_the_convention_it_names() {
    let sql = "CREATE TABLE person (id INTEGER PRIMARY KEY, name VARCHAR(40), pers_no VARCHAR(9), code_word VARCHAR(20), mail VARCHAR(80), \
         street TEXT, ort VARCHAR(40), api_token TEXT, created_at TEXT, row_version INTEGER NOT NULL DEFAULT 1, notes TEXT);
         CREATE TABLE fair (id INTEGER PRIMARY KEY, name TEXT NOT NULL, open INTEGER);
         CREATE TABLE fair_person (fair_id INTEGER REFERENCES fair (id), person_id INTEGER REFERENCES person (id), PRIMARY KEY (fair_id, person_id));
         CREATE TABLE sale (id INTEGER PRIMARY KEY, person_id INTEGER REFERENCES person (id), honey_kg DECIMAL(8, 2), hours INTEGER, sold_on TEXT);
         CREATE TABLE visitor (id INTEGER PRIMARY KEY, person_id INTEGER, seen_on DATE);
         CREATE TABLE mail_queue (id INTEGER PRIMARY KEY, subject TEXT NOT NULL);
         CREATE TABLE stall (id INTEGER PRIMARY KEY, fair_id INTEGER NOT NULL REFERENCES fair (id), size INTEGER)";
    let base = "format = 1\n[database]\nurl = \"sqlite:my.db\"\n[conventions]\n";
    let guessed = |conventions: &str| {
        let project = crate::support::Project::empty(sql);
        project.write("ysomorph.toml", &format!("{base}{conventions}"));
        let said = project.expect(0, &["start", "--reasons"]);
        assert_eq!(project.read("ysomorph.toml"), format!("{base}{conventions}"), "the configuration stays as it is");
        assert!(project.expect(0, &["check"]).contains("Sound"), "{conventions}");
        said
    };
    let line = |said: &str, topic: &str, entity: &str| {
        let own = said.split("\n\n").find(|part| part.starts_with(&format!("{entity}  "))).unwrap_or_default().to_owned();
        let joined = own.replace("\n             ", " ");
        joined.lines().filter(|l| l.trim_start().starts_with(topic)).collect::<Vec<_>>().join("\n")
    };
    let plain = guessed("");
    for (entity, topic, convention, turned, before, after) in [
        ("person", "called", "titles", "titles = [\"pers_no\"]", "{name}", "{pers_no}"),
        ("person", "labels", "abbreviations", "abbreviations = { pers = \"personal\" }", "Pers number", "Personal no"),
        ("person", "kinds", "name_kinds", "name_kinds = { \"code_*\" = \"code\" }", "mail as email", "code_word as code"),
        ("person", "together", "address", "address = [\"street\", \"ort\"]", "", "street, ort"),
        ("person", "searched", "searches", "searches = [\"ort\"]", "code_word", "ort"),
        ("person", "not listed", "list_fields", "list_fields = 2", "notes", "mail"),
        ("person", "hidden", "sensitive", "sensitive = [\"ort\"]", "api_token", "ort"),
        ("person", "kept", "record_keeping", "record_keeping = [\"notes\"]", "created_at", "notes"),
        ("person", "version", "version_columns", "version_columns = []", "row_version", ""),
        ("person", "links", "join_tables", "join_tables = []", "fair_person", ""),
        ("fair", "filters", "kinds", "kinds = { integer = \"boolean\" }", "", "open"),
        ("sale", "units", "units", "units = { honey = \"jars\" }", "honey_kg in kg", ""),
        ("sale", "added up", "totals", "totals = [\"sold*\"]", "hours", ""),
        ("sale", "grouped by", "pages", "pages = [\"list\"]", "person", ""),
        ("stall", "menu", "menu", "menu = \"all\"", "not in it", ""),
        ("visitor", "looks up", "references_by_name", "references_by_name = false", "person", ""),
        ("mail_queue", "menu", "technical", "technical = []", "last", ""),
    ] {
        let (was, now) = (line(&plain, topic, entity), line(&guessed(turned), topic, entity));
        assert!(was.contains(before) && (before.is_empty() == was.is_empty()), "{topic}: {was}\n{plain}");
        assert!(now.contains(after) && (after.is_empty() == now.is_empty()), "{turned}: {now}");
        for told in [&was, &now].into_iter().filter(|told| !told.is_empty()) {
            assert!(told.trim_end().ends_with(convention), "{told:?} should name {convention}");
        }
    }
}
