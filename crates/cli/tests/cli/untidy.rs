//! Schemas as untidy as real ones: what is drafted of them is sound and taken by each engine, before a change and after its merge.

use crate::servers::{BOTH, Place, Server};
use crate::support::Project;

const SCHEMAS: &[(&str, &str)] = &[
    ("archive", include_str!("untidy/archive.sql")),
    ("board", include_str!("untidy/board.sql")),
    ("choir", include_str!("untidy/choir.sql")),
    ("clinic", include_str!("untidy/clinic.sql")),
    ("club", include_str!("untidy/club.sql")),
    ("ferry", include_str!("untidy/ferry.sql")),
    ("hours", include_str!("untidy/hours.sql")),
    ("machines", include_str!("untidy/machines.sql")),
    ("stock", include_str!("untidy/stock.sql")),
    ("workshop", include_str!("untidy/workshop.sql")),
];

/// What `{words}` of a schema are on SQLite, PostgreSQL and MariaDB.
const WORDS: &[(&str, [&str; 3])] = &[
    ("{number}", ["INTEGER PRIMARY KEY", "serial PRIMARY KEY", "integer AUTO_INCREMENT PRIMARY KEY"]),
    ("{big}", ["INTEGER", "bigint", "bigint"]),
    ("{uuid}", ["BLOB", "uuid", "uuid"]),
    ("{bytes}", ["BLOB", "bytea", "blob"]),
    ("{flag}", ["INTEGER", "boolean", "boolean"]),
    ("{no}", ["0", "false", "0"]),
    ("{stamp}", ["TEXT", "timestamp", "datetime"]),
    (
        "{moment}",
        ["TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP", "timestamp NOT NULL DEFAULT now()", "datetime NOT NULL DEFAULT CURRENT_TIMESTAMP"],
    ),
    ("{user}", ["", "DEFAULT CURRENT_USER", "DEFAULT (current_user())"]),
];

/// A schema and its change as an engine takes them.
fn on(server: Option<Server>, text: &str) -> (String, String) {
    let at = match server {
        None => 0,
        Some(Server::Postgresql) => 1,
        Some(Server::Mariadb) => 2,
    };
    let mut text = WORDS.iter().fold(text.to_owned(), |text, (word, on)| text.replace(word, on[at]));
    if server == Some(Server::Mariadb) {
        text = text.replace('"', "`");
    }
    let (schema, change) = text.split_once("-- then").unwrap_or_else(|| panic!("no change: {text}"));
    (schema.to_owned(), change.to_owned())
}

fn sound_and_taken(project: &Project, what: &str) {
    for command in ["check", "rehearse"] {
        let ran = project.run(&[command]);
        assert_eq!(ran.code, 0, "{what}: {command}\n{}{}", ran.out, ran.err);
    }
}

#[test]
fn untidy_schemas_are_drafted_and_merged_on_every_engine() {
    for (name, text) in SCHEMAS {
        for server in std::iter::once(None).chain(BOTH.into_iter().map(Some)) {
            let (schema, change) = on(server, text);
            let project = Project::empty(if server.is_none() { &schema } else { "" });
            let place = match server.map(|server| Place::with(server, &schema)) {
                Some(None) => continue,
                there => there.flatten(),
            };
            let url = place.as_ref().map_or_else(|| format!("sqlite:{}", project.path("my.db").display()), Place::url);
            let what = format!("{name} on {server:?}");
            project.expect(0, &["start", "--from", &url]);
            sound_and_taken(&project, &what);
            match &place {
                Some(place) => place.sql(&change),
                None => project.sql(&change),
            }
            let ran = project.run(&["merge", "--write", "--safe"]);
            assert_eq!(ran.code, 0, "{what}: {}{}", ran.out, ran.err);
            let ran = project.run(&["check", "--format", "json"]);
            assert!(ran.code < 2 && ran.out.contains("\"break\": 0"), "{what}: {}{}", ran.out, ran.err);
        }
    }
}
