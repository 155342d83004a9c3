//! The program on real servers, from start to undo.

use super::{BOTH, Place, Server};
use crate::support::Project;

#[test]
fn the_demo_comes_back_to_the_byte_on_every_server() {
    for server in BOTH {
        let Some(place) = Place::new(server) else { continue };
        let project = Project::empty("");
        let printed = project.expect(0, &["demo", "demo", "--on", &place.url()]);
        assert_eq!(printed.matches("The definition is what it was, to the byte").count(), 2, "{printed}");
        assert_eq!(printed.matches("Sound: 11 entities").count(), 2, "{printed}");
        assert!(!printed.contains("differs"), "{printed}");
        // A database with something in it is nobody's demo.
        let again = project.expect(2, &["demo", "other", "--on", &place.url()]);
        assert!(again.contains("isn't empty"), "{again}");
    }
}

#[test]
fn start_tells_what_it_left_out_and_keeps_no_password() {
    let Some(place) = Place::with(
        Server::Postgresql,
        "CREATE SCHEMA sales; CREATE TABLE hive (id integer PRIMARY KEY, tag text); CREATE TABLE log (line text); CREATE TABLE nothing (); CREATE TABLE \"Hive\" (id integer PRIMARY KEY);
         CREATE TABLE scratch_a (id integer PRIMARY KEY); CREATE TABLE sales.order (id integer PRIMARY KEY, hive_id integer REFERENCES public.hive, paid date)",
    ) else {
        return;
    };
    let project = Project::empty("");
    let url = place.url().replace("postgres@", "postgres:not-needed@");
    let printed = project.expect(0, &["start", "--from", &url, "--schemas", "public", "sales", "--tables", "[!s]*", "sales.*"]);
    for told in [
        "its pages only read",
        "nothing: it has no columns",
        "Hive: another table's name differs",
        "scratch_a: no pattern of --tables matches it",
        "The password is not kept",
    ] {
        assert!(printed.contains(told), "{told}:\n{printed}");
    }
    assert!(!project.definition().values().any(|bytes| String::from_utf8_lossy(bytes).contains("not-needed")));
    assert!(!project.read("ysomorph.toml").contains("not-needed"), "{}", project.read("ysomorph.toml"));
    project.expect(0, &["check"]);
    assert!(project.read("app/log.toml").contains("read_only = true") && !project.read("app/log.toml").contains("[page.add]"));
    assert!(project.read("app/sales_order.toml").contains("table = \"sales.order\""), "{}", project.read("app/sales_order.toml"));
    assert!(project.read("app/sales_order.toml").contains("entity = \"hive\""));
    project.expect(0, &["changes"]);
    place.sql("ALTER TABLE sales.order RENAME COLUMN paid TO paid_on; ALTER TABLE sales.order SET SCHEMA public; ALTER TABLE public.order RENAME TO bill; ALTER TABLE public.bill SET SCHEMA sales");
    let printed = project.expect(1, &["changes"]);
    assert!(printed.contains("sales.order → sales.bill") && printed.contains("paid → paid_on"), "{printed}");
    project.merge(&[]);
    assert!(project.read("app/sales_order.toml").contains("table = \"sales.bill\""));
    project.expect(0, &["check"]);
}

/// A swap, and a table rebuilt under its old name while the old one stays: the catalogue knows, a person decides.
#[test]
fn what_changed_places_is_asked_though_the_catalogue_knows_it() {
    let Some(place) = Place::with(Server::Postgresql, "CREATE TABLE hive (id integer PRIMARY KEY, tag text, colour text, place text)")
    else {
        return;
    };
    let project = Project::empty("");
    project.expect(0, &["start", "--from", &place.url()]);
    project.edit("app/hive.toml", "[field.tag]\n", "[field.tag]\nlabel = \"Plate\"\n");
    let before = project.definition();
    let swap =
        "ALTER TABLE hive RENAME COLUMN tag TO x; ALTER TABLE hive RENAME COLUMN colour TO tag; ALTER TABLE hive RENAME COLUMN x TO colour";
    place.sql(swap);
    let printed = project.expect(1, &["decide", "--list"]);
    assert!(printed.contains("rename/hive.tag") && printed.contains("rename/hive.colour"), "{printed}");
    // One half confirmed takes the other with it.
    project.merge(&[("rename/hive.tag", "colour")]);
    let text = project.read("app/hive.toml");
    assert!(
        text.contains("[field.tag]\nlabel = \"Plate\"\ncolumn = \"colour\"") && text.contains("[field.colour]\ncolumn = \"tag\""),
        "{text}"
    );
    place.sql(swap);
    // The way back needs no question.
    project.merge(&[]);
    project.same_definition(&before);
    place.sql("ALTER TABLE hive RENAME TO hive_old; CREATE TABLE hive (id integer PRIMARY KEY, tag text, colour text, place text)");
    let printed = project.expect(1, &["decide", "--list"]);
    assert!(printed.contains("rename/hive"), "{printed}");
    project.merge(&[("rename/hive", "separate"), ("table/hive_old", "out")]);
    project.same_definition(&before);
}

/// One thing is dropped and another takes its name: pages would go on working, with the wrong data.
#[test]
fn what_takes_the_name_of_something_dropped_is_told_and_merged_as_both() {
    let sql = "CREATE TABLE keeper (id integer PRIMARY KEY, name varchar(40), nick varchar(40)); \
         CREATE TABLE hive (id integer PRIMARY KEY, tag text NOT NULL); CREATE TABLE box (id integer PRIMARY KEY, size integer)";
    let Some(place) = Place::with(Server::Postgresql, sql) else { return };
    let project = Project::empty("");
    project.expect(0, &["start", "--from", &place.url()]);
    project.append("app/keeper.toml", "\n[check.differ]\nrule = \"name <> nick\"\nmessage = \"The same\"\n");
    let before = project.definition();
    place.sql("ALTER TABLE keeper DROP COLUMN name; ALTER TABLE keeper RENAME COLUMN nick TO name");
    place.sql("DROP TABLE hive; ALTER TABLE box RENAME TO hive");
    let told = project.expect(1, &["changes"]);
    for change in ["- name", "> nick → name", "> box → hive", "hive"] {
        assert!(told.contains(change), "{change}: {told}");
    }
    let told = project.expect(1, &["impact", "--rule", "page/column-replaced"]);
    for quiet in
        ["`keeper/field/name/column` names `keeper.name`", "what was `nick`", "`keeper/check/differ/rule`", "`hive/table` names `hive`"]
    {
        assert!(told.split_whitespace().collect::<Vec<_>>().join(" ").contains(quiet), "{quiet}: {told}");
    }
    project.merge(&[]);
    let (keeper, boxes) = (project.read("app/keeper.toml"), project.read("app/box.toml"));
    assert!(
        keeper.contains("[field.nick]\ncolumn = \"name\"") && !keeper.contains("[field.name]") && !keeper.contains("differ"),
        "{keeper}"
    );
    assert!(boxes.contains("table = \"hive\"") && !project.path("app/hive.toml").exists(), "{boxes}");
    assert!(!keeper.contains("(gone)") && !boxes.contains("(gone)"));
    project.expect(0, &["rehearse"]);
    place.sql("ALTER TABLE keeper RENAME COLUMN name TO nick; ALTER TABLE keeper ADD COLUMN name varchar(40)");
    place.sql("ALTER TABLE hive RENAME TO box; CREATE TABLE hive (id integer PRIMARY KEY, tag text NOT NULL)");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn the_change_log_tells_who_and_makes_renames_certain() {
    let Some(place) = Place::with(Server::Postgresql, "CREATE TABLE hive (id integer PRIMARY KEY, tag text, colour text)") else { return };
    let project = Project::empty("");
    let sql = project.expect(0, &["capture", "--install-trail"]);
    place.sql(&sql);
    project.expect(0, &["start", "--from", &place.url()]);
    project.expect(0, &["changes"]);
    place.sql("ALTER TABLE hive RENAME COLUMN tag TO plate");
    place.sql("ALTER TABLE hive ADD COLUMN built date");
    let printed = project.expect(1, &["changes", "--by"]);
    for told in ["by postgres on 20", "ALTER TABLE hive RENAME COLUMN tag TO plate", "ADD COLUMN built date"] {
        assert!(printed.split_whitespace().collect::<Vec<_>>().join(" ").contains(told), "{told}:\n{printed}");
    }
    // Without a log it is said that there is none.
    let Some(maria) = Place::with(Server::Mariadb, "CREATE TABLE hive (id int PRIMARY KEY)") else { return };
    let other = Project::empty("");
    other.expect(0, &["start", "--from", &maria.url()]);
    maria.sql("ALTER TABLE hive ADD COLUMN tag int");
    assert!(other.expect(1, &["changes", "--by"]).contains("keeps no change log"));
}

/// Two lost and two new columns of one kind, crosswise: only the data tells which is which, on every engine.
#[test]
fn the_data_tells_what_names_do_not() {
    let before = "CREATE TABLE hive (id integer PRIMARY KEY, p varchar(40), q varchar(40))";
    let after = "CREATE TABLE hive (id integer PRIMARY KEY, r varchar(40), s varchar(40))";
    let rows = |columns: &str| {
        let row = |n: u32| format!("({n}, 'place {n}', 'colour {}')", n * 7);
        format!("INSERT INTO hive (id, {columns}) VALUES {}", (1..40).map(row).collect::<Vec<_>>().join(", "))
    };
    let (old, new) = (format!("{before}; {}", rows("p, q")), format!("{after}; {}", rows("s, r")));
    let project = Project::empty(&old);
    let other = Project::empty(&new);
    let sqlite = |p: &Project| format!("sqlite:{}", p.path("my.db").display());
    let mut pairs = vec![(sqlite(&project), sqlite(&other))];
    let places: Vec<(Place, Place)> = BOTH.into_iter().filter_map(|s| Some((Place::with(s, &old)?, Place::with(s, &new)?))).collect();
    pairs.extend(places.iter().map(|(a, b)| (a.url(), b.url())));
    for (a, b) in &pairs {
        let file = project.path("data.json").display().to_string();
        let key = project.path("data.key").display().to_string();
        project.expect(2, &["capture", a, "--data", "-o", &file]);
        project.expect(0, &["capture", a, "--data", "--key", &key, "-o", &file]);
        assert!(!std::fs::read_to_string(&file).unwrap().contains("colour 7"), "no value is kept");
        for from in [a.clone(), format!("snapshot:{file}")] {
            let printed = project.expect(1, &["changes", &from, b, "--data", "--key", &key]);
            assert!(printed.contains("p → s") && printed.contains("q → r") && printed.contains("the same data"), "{from}:\n{printed}");
        }
        assert!(!project.expect(1, &["changes", a, b]).contains("p → s"));
    }
    // Kept with the accepted schema, and through merges.
    let workspace = Project::empty(&old);
    workspace.expect(0, &["start", "--from", &sqlite(&workspace), "--data"]);
    workspace.merge(&[]);
    workspace.sql("ALTER TABLE hive RENAME COLUMN p TO x; ALTER TABLE hive RENAME COLUMN q TO p; ALTER TABLE hive RENAME COLUMN p TO y");
    assert!(workspace.expect(1, &["changes", "--data"]).contains("the same data"));
}

/// What `start` drafts, the database takes: on a rich schema of each engine.
#[test]
fn every_statement_of_a_draft_is_accepted() {
    let begin = |url: &str, schemas: &[&str]| {
        let project = Project::folder();
        let mut arguments = vec!["start", "--from", url];
        arguments.extend(schemas);
        project.expect(0, &arguments);
        let printed = project.expect(0, &["rehearse"]);
        assert!(printed.starts_with("All accepted: "), "{printed}");
    };
    let file = Project::empty(include_str!("rich_sqlite.sql"));
    begin(&format!("sqlite:{}", file.path("my.db").display()), &[]);
    for server in BOTH {
        let Some(place) = Place::with(server, super::dumps::rich(server)) else { continue };
        begin(&place.url(), if server == Server::Postgresql { &["--schemas", "public", "sales"] } else { &[] });
    }
}

/// A role's own grants, on the servers that have them, and the place a refusal is led back to.
#[test]
fn a_rehearsal_is_led_back_to_the_definition_and_heeds_grants() {
    for server in BOTH {
        let Some(place) = Place::new(server) else { continue };
        let project = Project::folder();
        project.expect(0, &["demo", ".", "--only-files", "--on", &place.url()]);
        project.edit("app/app.toml", "label = \"Keeper\"\n", "label = \"Keeper\"\ndatabase_role = \"app_keeper\"\n");
        if server == Server::Postgresql {
            let printed = project.expect(1, &["rehearse", "--as", "keeper"]);
            assert!(printed.contains("permission denied for table"), "{printed}");
        } else {
            // There a user keeps its own rights: it takes one that has none.
            assert!(project.expect(2, &["rehearse", "--as", "keeper"]).contains("keeps its own rights"));
        }
        assert!(project.expect(2, &["rehearse", "--as", "keper"]).contains("did you mean `keeper`?"));
        place.sql("ALTER TABLE keeper DROP COLUMN postcode");
        let printed = project.expect(1, &["rehearse"]);
        let line = project.read("app/keeper.toml").lines().position(|l| l.starts_with("rows = ")).unwrap() + 1;
        assert!(printed.contains(&format!("app/keeper.toml:{line}:9")), "the row filter's own place: {printed}");
        let junit = project.expect(1, &["rehearse", "--format", "junit"]);
        assert_eq!((junit.matches("<testcase ").count(), junit.contains("<failure ")), (54, true));
        assert!(project.expect(2, &["changes", "--format", "junit"]).contains("this command has no junit result"));
    }
    let lite = Project::new("CREATE TABLE a (id INTEGER PRIMARY KEY)");
    assert!(lite.expect(2, &["rehearse", "--as", "everyone"]).contains("SQLite has no roles"));
}

#[test]
fn snapshots_are_captured_and_compared() {
    for server in BOTH {
        let Some(place) = Place::with(server, "CREATE TABLE hive (id integer PRIMARY KEY, tag varchar(20))") else { continue };
        let project = Project::empty("");
        let file = project.path("then.json").display().to_string();
        let printed = project.expect(0, &["capture", &place.url(), "-o", &file]);
        assert!(printed.starts_with("Captured 1 table of "), "{printed}");
        let snapshot = format!("snapshot:{file}");
        assert_eq!(project.expect(0, &["changes", &snapshot, &place.url()]), "Nothing changed: both schemas say the same.\n");
        place.sql("ALTER TABLE hive ADD COLUMN colour varchar(20)");
        assert!(project.expect(1, &["changes", &snapshot, &place.url()]).contains("colour  new column"));
        // Another table, word for word the same, took the name: two snapshots tell it as the database itself does.
        project.expect(0, &["capture", &place.url(), "-o", &file]);
        place.sql("ALTER TABLE hive RENAME TO hive_old");
        place.sql("CREATE TABLE hive (id integer PRIMARY KEY, tag varchar(20), colour varchar(20))");
        let later = project.path("later.json").display().to_string();
        project.expect(0, &["capture", &place.url(), "-o", &later]);
        let by_files = project.expect(1, &["changes", &snapshot, &format!("snapshot:{later}")]);
        assert_eq!(by_files, project.expect(1, &["changes", &snapshot, &place.url()]));
        assert_eq!(by_files.contains("hive → hive_old"), server == Server::Postgresql, "{by_files}");
        // A digest is of the whole schema, also where only the differing tables are compared.
        let digest = |new: &str| -> serde_json::Value {
            let told: serde_json::Value =
                serde_json::from_str(&project.expect(1, &["changes", &snapshot, new, "--format", "json"])).unwrap();
            told["schema"].clone()
        };
        assert_eq!(digest(&format!("snapshot:{later}")), digest(&place.url()));
    }
}
