//! Definitions as people write them: sound, accepted by the database, valid by the published JSON Schemas, and between
//! them every key of the format. docs/format.md shows them after the reference of all keys.

use crate::support::{Project, published};
use std::collections::BTreeSet;
use ysomorph_core::definition::{APP, ENTITY, Key, Node, Shape, WORKSPACE};

/// Each as one text: what it is about, then its files.
const WRITTEN: [(&str, &str); 9] = [
    ("Library", include_str!("by_people/library.txt")),
    ("Clinic", include_str!("by_people/clinic.txt")),
    ("Shop", include_str!("by_people/shop.txt")),
    ("Club", include_str!("by_people/club.txt")),
    ("School", include_str!("by_people/school.txt")),
    ("Museum", include_str!("by_people/museum.txt")),
    ("Help desk", include_str!("by_people/helpdesk.txt")),
    ("Warehouse", include_str!("by_people/warehouse.txt")),
    ("Old names", include_str!("by_people/names.txt")),
];

/// Files of a text by name, in their order.
fn files(text: &str) -> impl Iterator<Item = (&str, &str)> {
    text.split("=== ").skip(1).map(|part| part.split_once('\n').unwrap())
}

/// A workspace with nothing in it but these files.
fn project(text: &str) -> Project {
    let sql = files(text).find(|(file, _)| *file == "schema.sql").unwrap().1;
    let project = Project::new(sql);
    std::fs::remove_dir_all(project.path("app")).unwrap();
    std::fs::create_dir(project.path("app")).unwrap();
    files(text).filter(|(file, _)| file.starts_with("app/")).for_each(|(file, text)| project.write(file, text));
    project
}

/// Every key that a file uses, as a path of keys without the names that people give.
fn used(node: &Node, shape: &Shape, path: &str, out: &mut BTreeSet<String>) {
    let key = |key: &Key, node: &Node, out: &mut BTreeSet<String>| {
        let path = format!("{path}/{}", key.name);
        used(node, &key.shape, &path, out);
        out.insert(path);
    };
    match shape {
        Shape::Record(keys) => node.entries().iter().for_each(|e| {
            if let Some(known) = keys.iter().find(|k| k.name == e.key) {
                key(known, &e.node, out);
            }
        }),
        Shape::Records { keys, .. } => node.items().iter().flat_map(Node::entries).for_each(|e| {
            if let Some(known) = keys.iter().find(|k| k.name == e.key) {
                key(known, &e.node, out);
            }
        }),
        Shape::Named(inner) | Shape::ByField(inner) => node.entries().iter().for_each(|e| used(&e.node, inner, path, out)),
        _ => {}
    }
}

/// Every key there is.
fn all(shape: &Shape, path: &str, out: &mut Vec<(String, &'static str)>) {
    match shape {
        Shape::Record(keys) | Shape::Records { keys, .. } => {
            for key in *keys {
                let path = format!("{path}/{}", key.name);
                out.push((path.clone(), key.doc));
                all(&key.shape, &path, out);
            }
        }
        Shape::Named(inner) => all(inner, &format!("{path}/NAME"), out),
        Shape::ByField(inner) => all(inner, &format!("{path}/FIELD"), out),
        _ => {}
    }
}

#[test]
fn what_people_write_is_sound_accepted_and_uses_every_key() {
    let mut keys = BTreeSet::new();
    let validator = |file: &str| {
        let schema = std::fs::read_to_string(format!("{}/../../docs/schema/{file}.json", env!("CARGO_MANIFEST_DIR"))).unwrap();
        jsonschema::validator_for(&serde_json::from_str(&schema).unwrap()).unwrap()
    };
    let (app, entity, workspace) = (validator("app"), validator("entity"), validator("workspace"));
    let mut check = |file: &str, text: &str| {
        let is_app = file == "app/app.toml";
        let value: serde_json::Value = toml::from_str(text).unwrap();
        let errors: Vec<String> = if is_app { &app } else { &entity }.iter_errors(&value).map(|e| e.to_string()).collect();
        assert!(errors.is_empty(), "{file}: {errors:?}");
        let node = ysomorph_workspace::toml::parse(text).unwrap();
        used(&node, if is_app { &APP } else { &ENTITY }, if is_app { "app" } else { "entity" }, &mut keys);
    };
    for (name, text) in WRITTEN {
        let project = project(text);
        let said = project.expect(0, &["check"]);
        assert!(said.starts_with("Sound"), "{name}: {said}");
        assert!(project.expect(0, &["rehearse"]).starts_with("All accepted"), "{name}");
        files(text).filter(|(file, _)| file.starts_with("app/")).for_each(|(file, text)| check(file, text));
    }
    // The tenth is the demo, which uses a routine where there are any.
    let demo = Project::folder();
    demo.expect(0, &["demo", ".", "--only-files"]);
    for file in demo.definition().keys().filter(|f| f.extension().is_some_and(|e| e == "toml")) {
        check(&format!("app/{}", file.display()), &demo.read(&format!("app/{}", file.display())));
    }
    assert!(workspace.is_valid(&toml::from_str(&demo.read("ysomorph.toml")).unwrap()));
    let mut known = Vec::new();
    all(&APP, "app", &mut known);
    all(&ENTITY, "entity", &mut known);
    let plain = |path: &str| path.replace("/NAME", "").replace("/FIELD", "");
    let routine = |path: &str| path.ends_with("/routine") || path.ends_with("/arguments");
    let unused: Vec<&String> =
        known.iter().map(|(path, _)| path).filter(|p| !keys.contains(&plain(p)) && !routine(p) && !p.contains("/source/update")).collect();
    assert!(unused.is_empty(), "nobody uses {unused:?}");
}

#[test]
fn the_reference_of_the_format_is_the_programs_own() {
    let mut text = "# The definition format, key by key

Written from the program's own table of the format; [definition.md](definition.md) explains it, and `docs/schema/` has the same as JSON
Schemas: `workspace.json` for `ysomorph.toml`, `app.json` for `app/app.toml`, `entity.json` for `app/NAME.toml`. An editor that knows TOML
and JSON Schema completes and checks by them. NAME stands for a name that you give, FIELD for one of the entity's fields.
"
    .to_owned();
    for (title, shape) in [("ysomorph.toml", &WORKSPACE), ("app/app.toml", &APP), ("app/NAME.toml", &ENTITY)] {
        text.push_str(&format!("\n## `{title}`\n\n| key | |\n|---|---|\n"));
        let mut keys = Vec::new();
        all(shape, "", &mut keys);
        for (path, doc) in keys {
            text.push_str(&format!("| `{}` | {doc} |\n", path.trim_start_matches('/').replace('/', ".")));
        }
    }
    text.push_str("\n# Definitions as people write them\n\nEach is checked and rehearsed in the tests.\n");
    for (name, written) in WRITTEN {
        text.push_str(&format!("\n## {name}\n\n{}\n", written.lines().next().unwrap()));
        for (file, body) in files(written) {
            let language = if file.ends_with("sql") { "sql" } else { "toml" };
            text.push_str(&format!("\n`{file}`\n\n```{language}\n{body}```\n"));
        }
    }
    published("format.md", &text);
}
