//! docs/statements.md: what the application asks for each kind of page, on each engine, made from a drafted and
//! edited definition.

use crate::support::Project;
use ysomorph_core::definition::Model;
use ysomorph_core::definition::PageKind;
use ysomorph_core::schema::{Engine, Schema};
use ysomorph_core::statements::{Purpose, Statement, of_exchange, of_page};
use ysomorph_workspace::Workspace;

const HEAD: &str = "# Page statements

What the application asks of the database for each kind of page, with named parameters. Every read is made once for each role that may use
the page, with that role's row filter; here for a role that sees its own apiaries. Lookups show their text through a join, related sets are
read in one statement for all records of a page, validations are evaluated over the record just saved before its transaction ends, and a
form with a version column saves nothing that somebody else changed meanwhile. The rules of `impact` look at what these statements need;
`rehearse` prepares them.

What could be read in more than one way is read so:

- **Rows.** A role's `rows` on an entity hold wherever its records are read for that role: on its own pages, in child lists, as choices of
  lookups, and in related sets. A text that is shown through a lookup isn't filtered: who may see the record may see what it is called.
- **Shown texts** lead from lookup to lookup three times at most, and never back to an entity they came through. At the end of the way the
  lookup's value itself stands. A hidden field that a title names is left out of the text.
- **Read-only fields on an add page** are shown and not written. A required column among them has to have a default in the database.
- **A field's `default`** is what its control begins with. It is written only where the field is on the page: a required column off the page
  has to have a default in the database.
- **A value that is left empty** over a column that refuses NULL is saved as the column's default says: an empty text, a zero, the moment, the
  user. So a form asks only for what nothing else supplies.
- **A role that may not give a field** (`hide`, `read_only`) adds records without it: where the column must have a value, that role can't add any.
- **STRICT tables** of SQLite keep to their types: there a column that changed its type refuses what a form of the old kind accepts. Lengths
  are never enforced by SQLite, strict or not.

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
columns = { \"Code\" = \"code\", \"Yard name\" = \"name\", \"Keeper\" = \"keeper\", \"Region\" = \"region\" }
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
    let pages = PageKind::ALL.into_iter().map(|kind| (kind.name(), entity.pages.iter().find(|p| p.kind == kind)));
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

/// Readings of the format that could have been otherwise: a definition's edit, and what the statements say then.
#[test]
fn what_can_be_read_in_two_ways_is_read_in_one() {
    let sql = |edits: &[(&str, &str, &str)], entity: &str, page: &str, wanted: &dyn Fn(&Statement) -> bool| -> Vec<String> {
        let project = Project::new(
            "CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE, secret TEXT, land_id INTEGER REFERENCES land (id));
             CREATE TABLE land (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, star_id INTEGER REFERENCES star (id));
             CREATE TABLE star (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, sky_id INTEGER REFERENCES sky (id));
             CREATE TABLE sky (id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
             CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL UNIQUE);
             CREATE TABLE yard (id INTEGER PRIMARY KEY, name TEXT NOT NULL, rank INTEGER NOT NULL, region_id INTEGER REFERENCES region (id));
             CREATE TABLE yard_keeper (yard_id INTEGER NOT NULL REFERENCES yard (id), keeper_id INTEGER NOT NULL REFERENCES keeper (id), PRIMARY KEY (yard_id, keeper_id))",
        );
        for (file, from, to) in edits {
            project.edit(file, from, to);
        }
        let workspace = Workspace::open(project.dir.path()).unwrap();
        let model = Model::of(&workspace.tree);
        let entity = &model.entities[entity];
        let page = entity.pages.iter().find(|p| p.name == page).unwrap();
        of_page(&model, entity, page, workspace.accepted()).into_iter().filter(wanted).map(|s| s.sql).collect()
    };
    let inserts = |s: &Statement| s.purpose == Purpose::Insert;
    let all = |_: &Statement| true;
    // A role's rows hold in related sets and among choices.
    let rows = [("app/keeper.toml", "[access.everyone]\n", "[access.everyone]\nrows = \"name > 'a'\"\n")];
    let sets = |s: &Statement| matches!(s.purpose, Purpose::Related(_) | Purpose::Choices(_));
    let found = sql(&rows, "yard", "edit", &sets);
    assert!(found.iter().filter(|s| s.contains("keeper")).count() == 2, "{found:?}");
    assert!(found.iter().filter(|s| s.contains("\"keeper\"")).all(|s| s.contains("name > 'a'")), "{found:?}");
    // A shown text leads three lookups far, and ends at the value.
    let deep = [
        ("app/region.toml", "title = \"{name}\"", "title = \"{land}\""),
        ("app/land.toml", "title = \"{name}\"", "title = \"{star}\""),
        ("app/star.toml", "title = \"{name}\"", "title = \"{sky}\""),
    ];
    let list = sql(&deep, "yard", "list", &|s| s.purpose == Purpose::Rows).concat();
    assert!(list.contains("JOIN \"star\"") && !list.contains("JOIN \"sky\"") && list.contains("\"sky_id\""), "{list}");
    // A hidden field is left out of a title.
    let hidden = [("app/region.toml", "title = \"{name}\"", "title = \"{name}{secret}\"")];
    let list = sql(&hidden, "yard", "list", &all).concat();
    assert!(list.contains("\"name\"") && !list.contains("secret"), "{list}");
    // Read-only fields of an add page are not written, nor is a default of a field that is on no page.
    let read_only = [("app/yard.toml", "[field.rank]\n", "[field.rank]\nread_only = true\n")];
    assert!(!sql(&read_only, "yard", "add", &inserts).concat().contains("rank"));
    let off = [
        ("app/yard.toml", "[field.rank]\n", "[field.rank]\ndefault = 3\n"),
        ("app/yard.toml", "[page.add]\n", "[page.add]\nfields = [\"name\"]\n\n[page.other]\nkind = \"add\"\n"),
    ];
    assert!(!sql(&off, "yard", "add", &inserts).concat().contains("rank"));
    // A role that may not give a field adds records without it.
    let role = [("app/yard.toml", "[access.everyone]\n", "[access.everyone]\nhide = [\"rank\"]\n")];
    let found = sql(&role, "yard", "add", &inserts);
    assert!(found.len() == 2 && found.iter().filter(|s| s.contains("rank")).count() == 1, "{found:?}");
}
