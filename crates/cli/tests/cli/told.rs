//! What is told is so: first sentences, candidates, reasons, filters, baselines, drafts.

use crate::support::Project;

const SQL: &str = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, colour TEXT)";

#[test]
fn no_sentence_says_that_all_works_beside_breaks() {
    let project = Project::new(SQL);
    project.append("app/hive.toml", "\n[export.all]\nfields = [\"tag\", \"colour\"]\n");
    project.edit("app/hive.toml", "[field.colour]\n", "[field.colour]\nhidden = false\n");
    let text = project
        .read("app/hive.toml")
        .replace(", \"colour\"] },", "] },")
        .replace("fields = [\"tag\", \"colour\"]\nsearch", "fields = [\"tag\"]\nsearch");
    project.write("app/hive.toml", &text);
    project.expect(0, &["check"]);
    project.sql("ALTER TABLE hive DROP COLUMN colour");
    let said = project.expect(1, &["impact"]);
    let first = said.lines().next().unwrap();
    assert!(first.starts_with("1 break") && first.contains("none of the breaks is on a page") && !said.contains("still works"), "{said}");
}

#[test]
fn close_candidates_are_one_question_wherever_changes_are_told() {
    let before = "CREATE TABLE keeper (id INTEGER PRIMARY KEY, phone VARCHAR(20))";
    let after = "CREATE TABLE keeper (id INTEGER PRIMARY KEY, phone_home VARCHAR(20), phone_work VARCHAR(20))";
    let (project, other) = (Project::new(before), Project::empty(after));
    let url = |p: &Project| format!("sqlite:{}", p.path("my.db").display());
    for arguments in [&["changes", &url(&project), &url(&other)][..], &["changes", "--changed", &url(&other)]] {
        let said = project.expect(1, arguments);
        let said = said.split_whitespace().collect::<Vec<_>>().join(" ");
        assert!(said.contains("one of `phone_home`, `phone_work` may be its new name"), "{said}");
    }
    let json = project.expect(1, &["changes", "--changed", &url(&other), "--format", "json"]);
    assert!(json.contains("\"candidates\": [\n        \"phone_home\",\n        \"phone_work\"\n      ]"), "{json}");
}

#[test]
fn what_is_put_back_is_said_to_be_back() {
    let project = Project::new(SQL);
    project.sql("ALTER TABLE hive DROP COLUMN colour");
    project.expect(0, &["merge", "--write", "--safe"]);
    project.sql("ALTER TABLE hive ADD COLUMN colour TEXT");
    let said = project.expect(1, &["merge"]);
    assert!(
        said.contains("Put back") && said.contains("hive.colour is in the database again") && !said.contains("is gone from the database"),
        "{said}"
    );
    let json = project.expect(1, &["merge", "--format", "json"]);
    assert!(!json.contains("gone from the database"), "{json}");
}

#[test]
fn a_filter_that_fits_nothing_is_refused_with_the_nearest() {
    let project = Project::new(SQL);
    for (arguments, near) in [
        (&["impact", "--entity", "hiev"][..], "did you mean `hive`?"),
        (&["impact", "--page", "lsit"], "did you mean `list`?"),
        (&["impact", "--page", "hive/lsit"], "did you mean `hive/list`?"),
        (&["impact", "--role", "everone"], "did you mean `everyone`?"),
        (&["impact", "--rule", "page/tabel-missing"], "did you mean `page/table-missing`?"),
        (&["impact", "--rule", "paeg/*"], "there is no rule `paeg/*`"),
        (&["custom", "hiev"], "did you mean `hive`?"),
        (&["show", "hiev"], "did you mean `hive`?"),
    ] {
        let said = project.expect(2, arguments);
        assert!(said.contains(near), "{arguments:?}: {said}");
    }
    for arguments in [&["impact", "--entity", "h*", "--page", "hive/*", "--rule", "page/*", "--role", "everyone"][..], &["custom", "*"]] {
        project.expect(0, arguments);
    }
}

#[test]
fn a_known_finding_stays_known_when_its_count_moves() {
    let project = Project::new(SQL);
    project.edit("app/hive.toml", "[field.tag]\n", "[field.tag]\n");
    project.edit("app/hive.toml", "max_length = 12", "max_length = 3");
    project.sql("INSERT INTO hive (tag) VALUES ('too long')");
    let baseline = project.path("known.json").display().to_string();
    project.expect(1, &["impact", "--data", "--format", "json", "--output", &baseline]);
    project.sql("INSERT INTO hive (tag) VALUES ('longer still')");
    project.append("app/hive.toml", "\n# moved\n");
    let said = project.expect(0, &["impact", "--data", "--baseline", &baseline]);
    assert!(said.contains("1 known from the baseline"), "{said}");
}

#[test]
fn a_source_outside_the_folder_stays_as_it_was_given() {
    let project = Project::empty(SQL);
    std::fs::create_dir_all(project.path("inner/deep")).unwrap();
    for (folder, from, kept) in [("inner", "../my.db", "sqlite:../my.db"), ("inner/deep", "../../my.db", "sqlite:../../my.db")] {
        let folder = project.path(folder);
        let mut command = std::process::Command::new(crate::support::program());
        let output = command.current_dir(&folder).args(["start", "--from", &format!("sqlite:{from}")]).output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        let config = std::fs::read_to_string(folder.join("ysomorph.toml")).unwrap();
        assert!(config.contains(&format!("url = \"{kept}\"")), "{config}");
        let mut command = std::process::Command::new(crate::support::program());
        assert!(command.current_dir(&folder).arg("changes").output().unwrap().status.success());
    }
}

#[test]
fn keys_that_point_at_nothing_are_told_and_names_are_such_as_files_and_sorts_can_have() {
    let long = "x".repeat(300);
    let project = Project::empty(&format!(
        "CREATE TABLE hive (id INTEGER PRIMARY KEY, \"-tag\" TEXT NOT NULL UNIQUE, gone_id INTEGER REFERENCES nowhere (id));
         CREATE TABLE con (id INTEGER PRIMARY KEY, name TEXT NOT NULL); CREATE TABLE {long} (id INTEGER PRIMARY KEY, name TEXT NOT NULL)"
    ));
    let said = project.expect(0, &["start", "--from", &format!("sqlite:{}", project.path("my.db").display())]);
    assert!(said.contains("points at `nowhere`, which isn't in the database"), "{said}");
    assert!(project.path("app/con_2.toml").exists() && !project.path("app/con.toml").exists());
    assert!(project.read("app/hive.toml").contains("sort = [\"_tag\"]"), "{}", project.read("app/hive.toml"));
    // What the dangling key hinders is a break of its own; the draft is sound otherwise.
    let said = project.expect(1, &["check"]);
    assert!(said.contains("points at `nowhere`, which is gone") && !said.contains("definition/"), "{said}");
}

#[test]
fn a_rename_between_schemas_shows_no_inner_sign() {
    use crate::servers::{Place, Server};
    let Some(place) = Place::with(
        Server::Postgresql,
        "CREATE SCHEMA sales; CREATE TABLE hive (id integer PRIMARY KEY); CREATE TABLE sales.remedy (id integer PRIMARY KEY, name text, dose integer)",
    ) else {
        return;
    };
    let project = Project::empty("");
    project.expect(0, &["start", "--from", &place.url(), "--schemas", "public", "sales"]);
    place.sql("ALTER TABLE sales.remedy RENAME TO medicine; ALTER TABLE sales.medicine ADD COLUMN hive_id integer REFERENCES public.hive");
    for command in [
        &["changes"][..],
        &["changes", "--format", "json"],
        &["impact"],
        &["impact", "--format", "json"],
        &["decide", "--list"],
        &["merge"],
        &["merge", "--format", "json"],
        &["merge", "--write", "--safe", "--format", "json"],
        &["history", "--format", "json"],
    ] {
        let ran = project.run(command);
        let said = format!("{}{}", ran.out, ran.err);
        assert!(ran.code != 2 && !said.contains('\u{1f}') && !said.contains("u001f") && !said.contains("u{1f}"), "{command:?}: {said}");
    }
    for (file, bytes) in crate::support::files_below(project.dir.path()) {
        assert!(!String::from_utf8_lossy(&bytes).contains("\\u001f"), "{}", file.display());
    }
}

#[test]
fn beginnings_of_columns_are_keys_and_a_table_without_one_is_only_read() {
    use crate::servers::{BOTH, Place, Server};
    for server in BOTH {
        let prefix = if server == Server::Mariadb { "(10)" } else { "" };
        let keys = format!(
            "CREATE TABLE counter (name varchar(200) NOT NULL, total integer, PRIMARY KEY (name{prefix})); CREATE TABLE link (url varchar(200) NOT NULL, note text, UNIQUE (url{prefix}))"
        );
        let Some(place) = Place::with(server, &format!("{keys}; CREATE TABLE log (at date, line varchar(200), level integer)")) else {
            continue;
        };
        let project = Project::empty("");
        let said = project.expect(0, &["start", "--from", &place.url()]);
        assert!(said.contains("its pages only read"), "{said}");
        assert!(project.read("app/counter.toml").contains("key = [\"name\"]") && project.read("app/counter.toml").contains("[page.add]"));
        assert!(project.read("app/link.toml").contains("key = [\"url\"]"));
        let started = project.read("app/log.toml");
        assert!(started.contains("read_only = true") && !started.contains("[page.add]"), "{started}");
        project.expect(0, &["check"]);
        project.expect(0, &["rehearse"]);
        // Taken in by a merge, it is the same.
        place.sql("CREATE TABLE log_2 (at date, line varchar(200), level integer)");
        project.expect(0, &["decide", "table/log_2", "in"]);
        let asked = project.expect(1, &["decide", "--list"]);
        assert!(asked.contains("key/log_2"), "{asked}");
        project.expect(0, &["merge", "--write", "--safe"]);
        let merged = project.read("app/log_2.toml").replace("log_2", "log").replace("Log 2", "Log").replace("logs_2", "logs");
        let plain = |text: &str| {
            text.lines().filter(|l| !l.starts_with("label =") && !l.contains("title = \"Log")).map(str::to_owned).collect::<Vec<_>>()
        };
        assert_eq!(plain(&merged), plain(&started));
        project.expect(0, &["check"]);
        project.expect(0, &["rehearse"]);
        // A database that has nothing else isn't without tables.
        let Some(place) = Place::with(server, "CREATE TABLE log (at date, line varchar(200))") else { continue };
        Project::empty("").expect(0, &["start", "--from", &place.url()]);
    }
}

/// What stands behind a semicolon is refused, and never run.
#[test]
fn nothing_in_a_definition_is_run_by_a_rehearsal() {
    use crate::servers::{BOTH, Place};
    const HOSTILE: &[&str] = &[
        "1 = 1); DROP TABLE victim; --",
        "1 = 1); DELETE FROM victim; SELECT (1",
        "1 = 1) ; ; INSERT INTO victim VALUES (9); --",
        "1 = 1); COMMIT; SET default_transaction_read_only = off; DELETE FROM victim; --",
        "1 = 1)\n;\nDROP TABLE victim\n;--",
    ];
    let tables = "CREATE TABLE hive (id integer PRIMARY KEY, tag varchar(12) NOT NULL); CREATE TABLE victim (id integer PRIMARY KEY); INSERT INTO victim VALUES (1)";
    let places: Vec<Place> = BOTH.into_iter().filter_map(|server| Place::with(server, tables)).collect();
    let sqlite = Project::empty(tables);
    let urls = places.iter().map(Place::url).chain([format!("sqlite:{}", sqlite.path("my.db").display())]);
    for url in urls {
        for hostile in HOSTILE {
            let project = Project::empty("");
            project.expect(0, &["start", "--from", &url]);
            let toml = hostile.replace('\n', "\\n");
            project.edit("app/hive.toml", "[access.everyone]\n", &format!("[access.everyone]\nrows = \"{toml}\"\n"));
            project.edit("app/hive.toml", "[page.list]\n", &format!("[page.list]\nwhere = \"{toml}\"\n"));
            project.append("app/hive.toml", &format!("\n[source]\ndelete = {{ sql = \"DELETE FROM hive WHERE (id = :id AND {toml}\" }}\ninsert = {{ sql = \"ANALYZE DELETE FROM victim\" }}\nupdate = {{ sql = \"DELETE FROM victim; DELETE FROM victim\" }}\n"));
            let ran = project.run_bounded(&["rehearse"]);
            assert!(ran.code == 1, "{url} {hostile:?}: {} {}{}", ran.code, ran.out, ran.err);
            for command in [&["check"][..], &["impact"], &["show", "hive"], &["impact", "--data"]] {
                project.run_bounded(command);
            }
        }
    }
    for place in &places {
        assert_eq!(place.count("victim"), 1, "{}", place.url());
    }
    let left: i64 =
        rusqlite::Connection::open(sqlite.path("my.db")).unwrap().query_row("SELECT count(*) FROM victim", [], |r| r.get(0)).unwrap();
    assert_eq!(left, 1);
}
