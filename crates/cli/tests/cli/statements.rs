//! docs/statements.md: what the application asks for each kind of page, on each engine, made from a drafted and
//! edited definition.

use crate::support::Project;
use ysomorph_core::definition::{Model, PageKind};
use ysomorph_core::schema::Engine;
use ysomorph_core::statements::{Purpose, Statement, of_page};
use ysomorph_workspace::Workspace;

const PUBLISHED: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/statements.md");

const HEAD: &str = "# Page statements

What the application asks of the database for each kind of page, with named parameters. Every read is made once for each role that may use
the page, with that role's row filter; here for a role that sees its own apiaries. Lookups show their text through a join. The rules of `impact`
look at what these statements need; `rehearse` prepares them.

Made from the entity `apiary` of this definition:

```toml
title = \"{name} ({region.name})\"
field.region: a lookup, shown by the region's title
page.list: where = \"closed_on IS NULL\"
access.everyone: rows = \"keeper_id = :user_keeper\"
```
";

#[test]
fn the_published_statements_are_the_programs_own() {
    let project = Project::new(
        "CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE);
         CREATE TABLE apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, region_id INTEGER REFERENCES region (id), keeper_id INTEGER NOT NULL, closed_on DATE);",
    );
    project.edit("app/app.toml", "[role.everyone]", "[parameter.user_keeper]\nkind = \"number\"\n\n[role.everyone]");
    project.edit("app/apiary.toml", "title = \"{name}\"", "title = \"{name} ({region.name})\"");
    project.edit("app/apiary.toml", "[page.list]\n", "[page.list]\nwhere = \"closed_on IS NULL\"\n");
    project.edit("app/apiary.toml", "[access.everyone]\n", "[access.everyone]\nrows = \"keeper_id = :user_keeper\"\n");
    project.expect(0, &["check"]);
    project.expect(0, &["rehearse"]);
    let model = Model::of(&Workspace::open(project.dir.path()).unwrap().tree);
    let entity = &model.entities["apiary"];
    let mut text = HEAD.to_owned();
    for kind in [PageKind::List, PageKind::Detail, PageKind::Add, PageKind::Edit] {
        let page = entity.pages.iter().find(|p| p.kind == kind).unwrap();
        text.push_str(&format!("\n## {}\n", page.name));
        let mut told: Vec<String> = Vec::new();
        for statement in of_page(&model, entity, page, Engine::Postgresql) {
            // One example of each kind is enough.
            let title = heading(&statement.purpose);
            if told.contains(&title) {
                continue;
            }
            text.push_str(&format!("\n### {title}\n"));
            told.push(title);
            for (engine, alike) in [(Engine::Postgresql, "PostgreSQL"), (Engine::Mariadb, "MariaDB, MySQL"), (Engine::Sqlite, "SQLite")] {
                let own = |s: &Statement| s.purpose == statement.purpose;
                let sql = of_page(&model, entity, page, engine).into_iter().find(own).unwrap().sql;
                text.push_str(&format!("\n{alike}\n\n```sql\n{sql}\n```\n"));
            }
        }
    }
    if std::env::var_os("YSOMORPH_UPDATE").is_some() {
        std::fs::write(PUBLISHED, &text).unwrap();
    }
    let published = std::fs::read_to_string(PUBLISHED).unwrap_or_default();
    assert!(published == text, "run the tests with YSOMORPH_UPDATE=1 to publish docs/statements.md anew");
}

fn heading(purpose: &Purpose) -> String {
    let words = purpose.words();
    let general = words.split(' ').take(if matches!(purpose, Purpose::Choices(_)) { 3 } else { 2 }).collect::<Vec<_>>().join(" ");
    match purpose {
        Purpose::Search(_) => "searching a field".to_owned(),
        Purpose::Filter(_) => "filtering by a field".to_owned(),
        Purpose::Sort(_) => "sorting by a field".to_owned(),
        Purpose::Choices(_) => format!("{general} of a lookup"),
        _ => words,
    }
}
