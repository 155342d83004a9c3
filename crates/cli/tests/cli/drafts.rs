//! Drafts are sound, the same for the same schema, and every statement they need is one the real database takes.

use crate::agreement::refused;
use crate::journey::HARBOUR;
use crate::model::{Database, Random};
use rusqlite::Connection;
use ysomorph_core::definition::{Tree, validate};
use ysomorph_core::draft::{Conventions, NamesInUse, Plan, draft};
use ysomorph_core::schema::Schema;
use ysomorph_sources::sqlite::{prepare_connection, read_from};

fn drafted(schema: &Schema) -> Tree {
    let names = NamesInUse::of(&Tree::default(), &Tree::default());
    let conventions = Conventions::default();
    draft(schema, &Plan { conventions: &conventions, names: &names, open_to: Some("everyone"), title: "Test" }).tree
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
            assert_eq!(&ysomorph_workspace::toml::parse(&text).unwrap().node, node, "{}", file.path());
            assert_eq!(text, ysomorph_workspace::toml::render_file(&drafted(&schema).files[file]), "the same schema, the same bytes");
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
