//! "Impact reports a break on this page" equals "the server refuses one of its statements", after each of many random
//! changes of the demo's database.

use super::{BOTH, Place, Server};
use crate::model::Random;
use crate::support::Project;
use std::collections::BTreeSet;
use ysomorph_core::name;
use ysomorph_core::schema::{Schema, TableKind};

/// Histories on each server, and changes in each.
const HISTORIES: u64 = 4;
const CHANGES: usize = 12;

/// Pages with a break, but for saves that fail only when they are run.
fn pages(project: &Project, command: &str) -> BTreeSet<(String, String)> {
    let ran = project.run(&[command, "--format", "json"]);
    assert!(ran.code != 2, "{command}: {}", ran.err);
    let report: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
    let prepared = |f: &&serde_json::Value| {
        let rule = f["rule"].as_str().unwrap();
        // What every save is refused for shows only when one is run.
        let when_run =
            rule == "page/required-column-absent" || f["message"].as_str().unwrap().ends_with("every value the form accepts is refused");
        f["severity"] == "break" && !when_run && !rule.starts_with("definition/") && rule != "label/orphan"
    };
    let findings = report["findings"].as_array().unwrap().iter().filter(prepared);
    let text = |v: &serde_json::Value| v.as_str().unwrap_or_default().to_owned();
    findings.flat_map(|f| f["pages"].as_array().unwrap().iter().map(move |p| (text(&f["entity"]), text(p)))).collect()
}

/// One random change of a schema, as the server writes it.
fn change(schema: &Schema, server: Server, random: &mut Random, count: usize) -> String {
    let quote = |n: &str| if server == Server::Mariadb { format!("`{n}`") } else { name::quoted(n) };
    let views: Vec<_> = schema.tables.iter().filter(|t| t.kind == TableKind::View).collect();
    let tables: Vec<_> = schema.tables.iter().filter(|t| t.kind == TableKind::Table).collect();
    let table = tables[random.below(tables.len())];
    let own = quote(&table.name);
    let plain: Vec<_> = table.columns.iter().filter(|c| !name::contains(&table.primary_key, &c.name)).collect();
    let column = plain.get(random.below(plain.len().max(1)));
    let cascade = if server == Server::Postgresql { " CASCADE" } else { "" };
    match (random.below(11), column) {
        (8..=10, Some(column)) => retyped(&own, &quote(&column.name), server, random),
        (0, _) => format!("ALTER TABLE {own} ADD COLUMN new_{count} integer NOT NULL DEFAULT 0"),
        (1, _) if !views.is_empty() => format!("DROP VIEW {}{cascade}", quote(&views[0].name)),
        (2, _) => format!("ALTER TABLE {own} RENAME TO {}", quote(&format!("t{count}_{}", table.name))),
        (3, _) => format!("DROP TABLE {own}{cascade}"),
        (4 | 5, Some(column)) => format!("ALTER TABLE {own} DROP COLUMN {}{cascade}", quote(&column.name)),
        (_, Some(column)) => {
            format!("ALTER TABLE {own} RENAME COLUMN {} TO {}", quote(&column.name), quote(&format!("c{count}_{}", column.name)))
        }
        (_, None) => format!("CREATE TABLE extra_{count} (id integer PRIMARY KEY)"),
    }
}

/// A column of another type, whatever its values were.
fn retyped(table: &str, column: &str, server: Server, random: &mut Random) -> String {
    if server == Server::Mariadb {
        let to = random.pick(&["text", "varchar(20)", "int", "date", "datetime", "decimal(8,1)", "json", "blob", "double"]);
        return format!("SET SESSION sql_mode = ''; ALTER TABLE {table} MODIFY {column} {to}");
    }
    let (to, value) = *random.pick(&[
        ("text", "x"),
        ("integer", "1"),
        ("numeric(6,1)", "1"),
        ("date", "2026-01-01"),
        ("timestamptz", "2026-01-01"),
        ("boolean", "true"),
        ("json", "{}"),
        ("jsonb", "{}"),
        ("uuid", "00000000-0000-0000-0000-000000000000"),
        ("xml", "<a/>"),
        ("bytea", "x"),
        ("point", "(1,1)"),
        ("integer[]", "{1}"),
        ("interval", "1 day"),
    ]);
    let drop_default = format!("ALTER TABLE {table} ALTER COLUMN {column} DROP DEFAULT");
    format!("{drop_default}; ALTER TABLE {table} ALTER COLUMN {column} TYPE {to} USING CAST('{value}' AS {to})")
}

#[test]
fn impact_and_the_servers_agree_on_every_page() {
    let histories = std::env::var("YSOMORPH_CASES").ok().and_then(|s| s.parse().ok()).unwrap_or(HISTORIES);
    'servers: for server in BOTH {
        let (mut compared, mut broken) = (0, 0);
        for seed in 1..=histories {
            let Some(place) = Place::new(server) else { continue 'servers };
            let project = Project { dir: tempfile::tempdir().unwrap() };
            project.expect(0, &["demo", ".", "--only-files", "--on", &place.url()]);
            let accepted = project.expect(0, &["rehearse"]);
            assert!(accepted.starts_with("All accepted"), "{accepted}");
            let mut random = Random::new(seed * 7 + 1);
            let mut history = Vec::new();
            for count in 0..CHANGES {
                let sql = change(&place.read(&[]), server, &mut random, count);
                // What the server won't do (a column that a key needs) is no change.
                if place.try_run_on(&place.name, &sql).is_err() {
                    continue;
                }
                history.push(sql);
                let (by_rules, by_server) = (pages(&project, "impact"), pages(&project, "rehearse"));
                compared += 1;
                broken += by_server.len();
                let only = |a: &BTreeSet<(String, String)>, b: &BTreeSet<(String, String)>| a.difference(b).cloned().collect::<Vec<_>>();
                assert_eq!(
                    (only(&by_rules, &by_server), only(&by_server, &by_rules)),
                    (vec![], vec![]),
                    "{server:?}, seed {seed}: only the rules, only the server, after\n{}",
                    history.join(";\n")
                );
            }
        }
        println!("{server:?}: {compared} changed databases, {broken} broken pages, all agreed");
        assert!(broken > compared, "the changes must break pages");
    }
}
