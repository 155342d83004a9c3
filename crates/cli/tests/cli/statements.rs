//! docs/statements.md: what the application asks for each kind of page, on each engine, made from a drafted and
//! edited definition.

use crate::support::Project;
use ysomorph_core::definition::Model;
use ysomorph_core::pages::KINDS;
use ysomorph_core::schema::{Engine, Schema};
use ysomorph_core::statements::{Purpose, Statement, of_exchange, of_page};
use ysomorph_workspace::Workspace;

const HEAD: &str = "# Page statements

What the application asks of the database for each kind of page, with named parameters. Every read is made once for each role that may use
the page, with that role's row filter; here for a role that sees its own apiaries. Lookups show their text through a join, related sets are
read in one statement for all records of a page, validations are evaluated over the record just saved before its transaction ends, and a
form with a version column saves nothing that somebody else changed meanwhile. The rules of `impact` look at what these statements need;
`rehearse` prepares them.

Made from the entity `apiary` of this definition:
";

const SQL: &str = "CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE);
CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE);
CREATE TABLE apiary (id INTEGER PRIMARY KEY, code VARCHAR(8) NOT NULL UNIQUE, name VARCHAR(80) NOT NULL, region_id INTEGER REFERENCES region (id),
  keeper_id INTEGER NOT NULL, area_m2 INTEGER, opened_on DATE, closed_on DATE, row_version INTEGER NOT NULL DEFAULT 1);
CREATE TABLE apiary_helper (apiary_id INTEGER NOT NULL REFERENCES apiary (id), keeper_id INTEGER NOT NULL REFERENCES keeper (id), PRIMARY KEY (apiary_id, keeper_id));
CREATE TABLE hive (id INTEGER PRIMARY KEY, apiary_id INTEGER NOT NULL REFERENCES apiary (id), tag VARCHAR(12) NOT NULL UNIQUE);";

const BY_HAND: &str = "
[check.closed_after_opened]
rule = \"closed_on IS NULL OR closed_on >= opened_on\"
message = \"An apiary can't close before it opened\"

[import.yards]
key = [\"code\"]
columns = { \"Code\" = \"code\", \"Yard name\" = \"name\", \"Keeper\" = \"keeper_id\", \"Region\" = \"region\" }
create_missing = [\"region\"]

[export.season]
fields = [\"name\", \"region\"]
";

#[test]
fn the_published_statements_are_the_programs_own() {
    let project = Project::new(SQL);
    project.edit("app/app.toml", "[role.everyone]", "[parameter.user_keeper]\nkind = \"number\"\n\n[role.everyone]");
    project.edit("app/apiary.toml", "title = \"{name}\"", "title = \"{name} ({region.name})\"");
    project.edit("app/apiary.toml", "[page.list]\n", "[page.list]\nwhere = \"closed_on IS NULL\"\n");
    project.edit("app/apiary.toml", "[access.everyone]\n", "[access.everyone]\nrows = \"keeper_id = :user_keeper\"\n");
    project.append("app/apiary.toml", BY_HAND);
    project.expect(0, &["check"]);
    project.expect(0, &["rehearse"]);
    let workspace = Workspace::open(project.dir.path()).unwrap();
    let model = Model::of(&workspace.tree);
    let entity = &model.entities["apiary"];
    let known = |engine: Engine| {
        let mut schema = workspace.accepted().clone();
        schema.engine = engine;
        schema
    };
    let schemas = [Engine::Postgresql, Engine::Mariadb, Engine::Sqlite].map(known);
    let mut text = format!("{HEAD}\n```toml\n{}```\n", project.read("app/apiary.toml"));
    let pages = KINDS.iter().map(|kind| (kind.name, entity.pages.iter().find(|p| p.kind == *kind)));
    for (name, page) in pages.chain([("import and export", None)]) {
        let of = |schema: &Schema| match page {
            Some(page) => of_page(&model, entity, page, schema),
            None => of_exchange(&model, entity, schema),
        };
        text.push_str(&format!("\n## {name}\n"));
        let mut told: Vec<String> = Vec::new();
        for statement in of(&schemas[0]) {
            // One example of each kind is enough.
            let title = heading(&statement.purpose);
            if told.contains(&title) {
                continue;
            }
            text.push_str(&format!("\n### {title}\n"));
            told.push(title);
            for (schema, alike) in schemas.iter().zip(["PostgreSQL", "MariaDB, MySQL", "SQLite"]) {
                let own = |s: &Statement| s.purpose == statement.purpose;
                let sql = of(schema).into_iter().find(own).unwrap().sql;
                text.push_str(&format!("\n{alike}\n\n```sql\n{sql}\n```\n"));
            }
        }
        assert!(!told.is_empty(), "{name} is shown");
    }
    crate::support::published("statements.md", &text);
}

fn heading(purpose: &Purpose) -> String {
    match purpose {
        Purpose::Search(_) => "searching a field".to_owned(),
        Purpose::Filter(_) => "filtering by a field".to_owned(),
        Purpose::Sort(_) => "sorting by a field".to_owned(),
        Purpose::Choices(_) => "reading the choices of a lookup or related set".to_owned(),
        Purpose::Related(_) => "reading the records linked by a related set".to_owned(),
        Purpose::Children(..) => "reading a child list".to_owned(),
        Purpose::Check(_) => "checking a rule".to_owned(),
        Purpose::Link(_) => "linking a record".to_owned(),
        Purpose::Unlink(_) => "unlinking a record".to_owned(),
        Purpose::Export(_) => "exporting".to_owned(),
        Purpose::Match(_) => "finding the record of a line".to_owned(),
        Purpose::Find(..) => "finding the record that a text stands for".to_owned(),
        Purpose::Create(..) => "making a record that isn't found".to_owned(),
        _ => purpose.words(),
    }
}
