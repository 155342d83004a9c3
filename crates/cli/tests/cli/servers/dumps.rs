//! A rich schema compared with itself, with its snapshot, and with its copy restored from the engine's own dump.

use super::{Place, Server, told};
use crate::support::Project;
use std::process::Command;
use ysomorph_core::schema::Schema;

const RICH_POSTGRESQL: &str = include_str!("rich_postgresql.sql");
const RICH_MARIADB: &str = include_str!("rich_mariadb.sql");
const RICH_SQLITE: &str = include_str!("rich_sqlite.sql");

pub fn rich(server: Server) -> &'static str {
    if server == Server::Postgresql { RICH_POSTGRESQL } else { RICH_MARIADB }
}

/// Runs a program and gives what it prints.
fn output(program: &str, arguments: &[&str]) -> String {
    let output = Command::new(program).args(arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// A dump without the lines that only its own client understands.
fn without_client_lines(dump: &str) -> String {
    dump.lines().filter(|l| !l.starts_with('\\')).flat_map(|l| [l, "\n"]).collect()
}

fn same_as_its_snapshot(schema: &Schema) {
    let text = schema.to_snapshot();
    let copy = Schema::from_snapshot(&text).unwrap();
    assert_eq!(copy.to_snapshot(), text, "the same schema gives the same bytes");
    assert_eq!(told(schema, &copy), [""; 0]);
    let published: serde_json::Value = serde_json::from_str(&ysomorph_core::schema::snapshot_schema()).unwrap();
    let instance: serde_json::Value = serde_json::from_str(&text).unwrap();
    let validator = jsonschema::validator_for(&published).unwrap();
    let errors: Vec<String> = validator.iter_errors(&instance).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert!(errors.is_empty(), "{errors:?}");
}

#[test]
fn postgresql_reads_back_from_its_own_dump() {
    let Some(place) = Place::with(Server::Postgresql, RICH_POSTGRESQL) else { return };
    let schemas = ["public", "sales"];
    let schema = place.read(&schemas);
    same_as_its_snapshot(&schema);
    let counts = &schema.objects;
    assert_eq!((schema.tables.len(), counts.routines.len(), counts.enums.len(), counts.domains.len()), (11, 4, 1, 1));
    assert_eq!(told(&schema, &place.read(&schemas)), [""; 0]);
    let dump = output("pg_dump", &["-h", "127.0.0.1", "-U", "postgres", "--schema-only", &place.name]);
    let copy = Place::new(Server::Postgresql).unwrap();
    copy.sql(&without_client_lines(&dump));
    assert_eq!(told(&schema, &copy.read(&schemas)), [""; 0]);
    // And once more: a copy's copy.
    let dump = output("pg_dump", &["-h", "127.0.0.1", "-U", "postgres", "--schema-only", &copy.name]);
    let third = Place::new(Server::Postgresql).unwrap();
    third.sql(&without_client_lines(&dump));
    assert_eq!(told(&schema, &third.read(&schemas)), [""; 0]);
}

#[test]
fn mariadb_reads_back_from_its_own_dump() {
    let Some(place) = Place::with(Server::Mariadb, RICH_MARIADB) else { return };
    let schema = place.read(&[]);
    same_as_its_snapshot(&schema);
    let counts = &schema.objects;
    assert_eq!((schema.tables.len(), counts.routines.len(), counts.sequences.len(), counts.events.len()), (8, 2, 1, 1));
    let view = schema.table("keeper_names").unwrap();
    assert_eq!(view.reads, ["keeper.full_name", "keeper.id", "keeper.region_id", "region.id", "region.name"]);
    let dump = output("mariadb-dump", &["-h127.0.0.1", "-uroot", "--no-data", "--routines", "--events", "--triggers", &place.name]);
    let copy = Place::new(Server::Mariadb).unwrap();
    let mut client =
        Command::new("mariadb").args(["-h127.0.0.1", "-uroot", &copy.name]).stdin(std::process::Stdio::piped()).spawn().unwrap();
    std::io::Write::write_all(client.stdin.as_mut().unwrap(), dump.as_bytes()).unwrap();
    assert!(client.wait().unwrap().success());
    assert_eq!(told(&schema, &copy.read(&[])), [""; 0]);
}

#[test]
fn sqlite_reads_back_from_its_own_dump() {
    let project = Project::empty(RICH_SQLITE);
    let file = project.path("my.db");
    let read = |path: &std::path::Path| ysomorph_sources::sqlite::read(path).unwrap();
    let schema = read(&file);
    same_as_its_snapshot(&schema);
    let view = schema.table("keeper_names").unwrap();
    assert_eq!(view.reads, ["keeper.full_name", "keeper.id", "keeper.region_id", "region.id", "region.name"]);
    let dump = {
        let connection = rusqlite::Connection::open(&file).unwrap();
        let mut statement =
            connection.prepare("SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL AND name NOT LIKE 'sqlite%' ORDER BY rowid").unwrap();
        let all: Vec<String> = statement.query_map([], |r| r.get(0)).unwrap().map(Result::unwrap).collect();
        all.join(";\n")
    };
    let copy = Project::empty(&dump);
    assert_eq!(told(&schema, &read(&copy.path("my.db"))), [""; 0]);
}

/// A program that writes meanwhile, in write-ahead mode: what it has committed is seen, and it isn't disturbed.
#[test]
fn sqlite_is_read_while_another_program_writes() {
    let project = Project::empty("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT)");
    let writer = rusqlite::Connection::open(project.path("my.db")).unwrap();
    writer.pragma_update(None, "journal_mode", "wal").unwrap();
    writer.execute_batch("CREATE TABLE colony (id INTEGER PRIMARY KEY); BEGIN IMMEDIATE; CREATE TABLE unfinished (id INTEGER)").unwrap();
    let schema = ysomorph_sources::sqlite::read(&project.path("my.db")).unwrap();
    let names: Vec<&str> = schema.tables.iter().map(|t| t.name.as_str()).collect();
    assert_eq!(names, ["colony", "hive"]);
    writer.execute_batch("COMMIT").unwrap();
}
