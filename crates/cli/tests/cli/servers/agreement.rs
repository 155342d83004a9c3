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
        let message = f["message"].as_str().unwrap();
        let every_value = ["every value the form accepts is refused", "refuses every value that the form accepts"];
        let when_run = rule == "page/required-column-absent" || every_value.iter().any(|said| message.ends_with(said));
        f["severity"] == "break" && !when_run && !rule.starts_with("definition/") && rule != "label/orphan"
    };
    let findings = report["findings"].as_array().unwrap().iter().filter(prepared);
    let text = |v: &serde_json::Value| v.as_str().unwrap_or_default().to_owned();
    findings.flat_map(|f| f["pages"].as_array().unwrap().iter().map(move |p| (text(&f["entity"]), text(p)))).collect()
}

/// One random change of a schema, as the server writes it.
fn change(schema: &Schema, server: Server, random: &mut Random, count: usize) -> String {
    let quote = |n: &str| quoted(n, server);
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

/// Queries and conditions of every form in the demo's definition, as people write them.
fn edit_by_hand(project: &Project, schema: &Schema, server: Server, random: &mut Random) {
    for (file, bytes) in project.definition() {
        let (file, text) = (format!("app/{}", file.display()), String::from_utf8(bytes).unwrap());
        let table = text.lines().find_map(|line| line.strip_prefix("table = \"")?.strip_suffix('"'));
        let Some(known) = table.and_then(|t| schema.table(t)).filter(|t| t.column("id").is_some()) else { continue };
        let own = if random.one_in(2) { known.name.clone() } else { quoted(&known.name, server) };
        let shouted = if random.one_in(3) { own.to_uppercase() } else { own.clone() };
        // MariaDB tells the case of tables apart.
        let any_case = if server == Server::Postgresql && !own.contains('"') { &shouted } else { &own };
        let column = &known.columns[random.below(known.columns.len())].name;
        let mut edited = text.clone();
        if !text.contains("[source]") && random.one_in(2) {
            let select = match random.below(6) {
                0 => format!("WITH x AS (SELECT * FROM {any_case}) SELECT * FROM x"),
                1 => format!("SELECT s.* FROM (SELECT * FROM {own}) s"),
                2 => format!("SELECT * FROM {own} JOIN (SELECT id FROM {own}) y USING (id)"),
                3 => format!("SELECT * FROM {own} NATURAL JOIN (SELECT id FROM {any_case}) z"),
                4 => format!(
                    "WITH x AS (SELECT * FROM {own}), y (no) AS (SELECT id FROM x) SELECT x.*\\n  FROM x JOIN y ON y.no = x.id -- ours"
                ),
                _ => {
                    format!("SELECT * /* all */ FROM {any_case} WHERE EXISTS (SELECT 1 FROM {own} o WHERE o.{column} IS NULL OR o.id > 0)")
                }
            };
            edited.push_str(&format!("\n[source]\nselect = {select:?}\n").replace("\\\\n", "\\n"));
        }
        if !text.contains("where =") && random.one_in(2) {
            let condition = match random.below(3) {
                0 => format!("id IN (WITH x AS (SELECT * FROM {own}) SELECT id FROM x WHERE {column} IS NOT NULL)"),
                1 => format!("(SELECT count(*) FROM (SELECT {column} AS c FROM {own}) s WHERE s.c IS NULL) >= 0"),
                _ => format!("id IN (SELECT id FROM {own} JOIN (SELECT id FROM {own}) y USING (id))"),
            };
            edited = edited.replacen("[page.list]\n", &format!("[page.list]\nwhere = {condition:?}\n"), 1);
        }
        project.write(&file, &edited);
        // A view may have its own mind about it.
        if !project.run(&["rehearse"]).out.starts_with("All accepted") {
            project.write(&file, &text);
        }
    }
}

/// A name in the quotes of a server.
fn quoted(name: &str, server: Server) -> String {
    if server == Server::Mariadb { format!("`{name}`") } else { name::quoted(name) }
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
            let project = Project::folder();
            project.expect(0, &["demo", ".", "--only-files", "--on", &place.url()]);
            let mut random = Random::new(seed * 7 + 1);
            edit_by_hand(&project, &place.read(&[]), server, &mut random);
            let accepted = project.expect(0, &["rehearse"]);
            assert!(accepted.starts_with("All accepted"), "{accepted}");
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
