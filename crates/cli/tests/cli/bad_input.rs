//! Bad input gets a clear error that says where and what to do, and loses nothing.

use crate::support::{Project, assert_same_files, files_below};

const SQL: &str = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, colour TEXT)";

#[test]
fn every_kind_of_bad_input_says_where_and_what_to_do() {
    /// File, what is replaced, by what; the command; its status; what it must say.
    type Case = (&'static str, &'static str, &'static str, &'static [&'static str], i32, &'static [&'static str]);
    let cases: &[Case] = &[
        ("app/hive.toml", "kind = \"text\"", "kind = ", &["check"], 2, &["app/hive.toml:", "| kind =", "correct the places"]),
        (
            "app/hive.toml",
            "label = {",
            "lable = {",
            &["check"],
            1,
            &["definition/unknown-key", "app/hive.toml:4:1", "did you mean `label`?"],
        ),
        ("app/hive.toml", "label = {", "lable = {", &["merge"], 2, &["there is no key `lable`", "nothing was merged"]),
        (
            "app/hive.toml",
            "column = \"tag\"",
            "column = \"tga\"",
            &["check"],
            1,
            &["definition/unknown-column", "`hive` has no column `tga`", "did you mean `tag`?"],
        ),
        (
            "app/hive.toml",
            "table = \"hive\"",
            "table = \"hives\"",
            &["check"],
            1,
            &["there is no table or view `hives`", "did you mean `hive`?"],
        ),
        (
            "app/hive.toml",
            "sort = [\"tag\"]",
            "sort = [\"tagg\"]",
            &["check"],
            1,
            &["definition/unknown-name", "`hive` has no field `tagg`", "did you mean `tag`?"],
        ),
        ("app/hive.toml", "title = \"{tag}\"", "title = \"{tga}\"", &["check"], 1, &["app/hive.toml:3:11", "`hive` has no field `tga`"]),
        (
            "app/hive.toml",
            "[access.everyone]",
            "[access.evryone]",
            &["check"],
            1,
            &["there is no role `evryone`", "did you mean `everyone`?"],
        ),
        ("app/hive.toml", "[access.everyone]", "[access.everyone]\nrows = \"id = :me\"", &["check"], 1, &["there is no parameter `me`"]),
        ("app/hive.toml", "required = true", "required = \"yes\"", &["check"], 1, &["definition/wrong-kind", "takes true or false"]),
        ("app/app.toml", "\"hive\"", "\"hiv\"", &["check"], 1, &["there is no entity `hiv`", "did you mean `hive`?"]),
        (
            "ysomorph.toml",
            "format = 1",
            "format = 1\nformt = 2",
            &["changes"],
            2,
            &["ysomorph.toml:2:1", "there is no key `formt` here; did you mean `format`?"],
        ),
        ("ysomorph.toml", "format = 1", "format = 9", &["changes"], 2, &["this program knows 1"]),
        ("ysomorph.toml", "format = 1", "format = 1\n[code]\nroots = [\"../x\"]", &["impact"], 2, &["`../x` leads out of the workspace"]),
        ("ysomorph.toml", "format = 1", "format = 1\n[code]\nroots = [\"x\"]", &["impact"], 0, &["names `x`, which isn't there"]),
        ("app/hive.toml", "sort", "sort", &["impact", "--baseline", "none.json"], 2, &["`none.json` can't be read", "--format json"]),
        ("app/hive.toml", "sort", "sort", &["impact", "--baseline", "ysomorph.toml"], 2, &["the baseline", "can't be read"]),
        ("ysomorph.toml", "sqlite:my.db", "sqlite:gone.db", &["changes"], 2, &["gone.db", "there is no such file", "--changed"]),
        ("ysomorph.toml", "sqlite:my.db", "sqlite:ysomorph.toml", &["changes"], 2, &["file is not a database"]),
        ("ysomorph.toml", "sqlite:my.db", "oracle://scott:tiger@x", &["changes"], 2, &["oracle:…", "sqlite:FILE"]),
        ("ysomorph.toml", "sqlite:my.db", "sqlite:${NO_SUCH_VARIABLE}", &["changes"], 2, &["no variable `NO_SUCH_VARIABLE`"]),
        (".ysomorph/accepted.json", "\"format\": 1", "\"format\": 1,,", &["changes"], 2, &[".ysomorph/accepted.json"]),
        ("ysomorph.toml", "format = 1", "format = 1", &["decide", "rename/hive.tag", "number"], 2, &["nothing asks `rename/hive.tag`"]),
        ("ysomorph.toml", "format = 1", "format = 1", &["explain", "page/tabel-missing"], 2, &["did you mean `page/table-missing`?"]),
        ("ysomorph.toml", "format = 1", "format = 1", &["undo"], 2, &["there is no merge to undo"]),
        ("ysomorph.toml", "format = 1", "format = 1", &["undo", "7"], 2, &["there is no entry `7`"]),
    ];
    for (file, from, to, command, code, expected) in cases {
        let project = Project::new(SQL);
        project.edit(file, from, to);
        let before = files_below(project.dir.path());
        let said = project.expect(*code, command);
        for text in *expected {
            assert!(said.contains(text), "{file}: {to:?} {command:?} should say {text:?}:\n{said}");
        }
        assert!(!said.contains("tiger"), "a password was shown: {said}");
        assert_same_files(&before, &files_below(project.dir.path()), &format!("{command:?} wrote something"));
    }
}

#[test]
fn every_broken_file_is_told_at_once() {
    let project = Project::new(&format!("{SQL}; CREATE TABLE queen (id INTEGER PRIMARY KEY, name TEXT NOT NULL)"));
    project.edit("app/hive.toml", "kind = \"text\"", "kind == \"text\"");
    project.edit("app/hive.toml", "[page.detail]", "[page.detail");
    project.edit("app/queen.toml", "key = [\"id\"]", "key = [\"id\"");
    project.write("app/labels.de.po", "msgctxt \"hive/label/one\"\nmsgid Hive\n");
    let said = project.expect(2, &["impact"]);
    assert!(said.matches("app/hive.toml:").count() >= 2 && said.contains("app/queen.toml:") && said.contains("4 errors"), "{said}");
    assert!(said.contains("app/labels.de.po:2:1: a text in quotes belongs here"), "{said}");
}

#[test]
fn start_never_overwrites_and_says_what_is_wrong_with_the_source() {
    let project = Project::new(SQL);
    let before = files_below(project.dir.path());
    let url = format!("sqlite:{}", project.path("my.db").display());
    assert!(project.expect(2, &["start", "--from", &url]).contains("nothing was overwritten"));
    assert_same_files(&before, &files_below(project.dir.path()), "a second start wrote something");
    let empty = Project::empty("CREATE TABLE gone (x); DROP TABLE gone");
    for (source, expected) in [
        ("sqlite:nowhere.db", "no such file"),
        ("sqlite:/", "it is a folder"),
        ("my.db", "sqlite:FILE"),
        (&format!("sqlite:{}", empty.path("my.db").display()), "no tables"),
    ] {
        let said = empty.expect(2, &["start", "--from", source]);
        assert!(said.contains(expected) && !empty.path("ysomorph.toml").exists(), "{source}: {said}");
    }
    let said = empty.expect(2, &["start"]);
    assert!(said.contains("nothing says which database") && said.contains("--from SOURCE"), "{said}");
    empty.write(
        "ysomorph.toml",
        "format = 1\n[database]\nurl = \"sqlite:my.db\"\n[conventions]\npages = [\"lsit\"]\nkinds = { date = \"dat\" }\nsearch = []\n",
    );
    let said = empty.expect(2, &["start"]);
    for expected in
        ["ysomorph.toml:5:10", "did you mean `list`?", "ysomorph.toml:6:", "did you mean `date`?", "did you mean `searches`?", "3 errors"]
    {
        assert!(said.contains(expected), "{expected}: {said}");
    }
    std::fs::remove_file(empty.path("ysomorph.toml")).unwrap();
    empty.write("app.txt", "");
    assert!(empty.expect(2, &["changes"]).contains("there is no workspace"));
}

/// Writing fails for root too where the folder's place is taken by a file.
#[test]
fn a_folder_that_cannot_be_written_loses_nothing() {
    let project = Project::new(SQL);
    project.sql("ALTER TABLE hive DROP COLUMN colour");
    let definition = project.definition();
    let entries = project.path(".ysomorph/merges");
    std::fs::write(&entries, "in the way").unwrap();
    let said = project.expect(2, &["merge", "--write"]);
    assert!(said.contains("`.ysomorph/merges` is a file, not a folder"), "{said}");
    project.same_definition(&definition);
    project.expect(0, &["check"]);
    std::fs::remove_file(&entries).unwrap();
    project.expect(0, &["merge", "--write"]);
    // A folder without any right to write still lets everything be looked at.
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        std::fs::set_permissions(project.dir.path(), std::fs::Permissions::from_mode(0o555)).unwrap();
        project.expect(0, &["check"]);
        project.expect(0, &["changes"]);
        std::fs::set_permissions(project.dir.path(), std::fs::Permissions::from_mode(0o755)).unwrap();
    }
}

#[test]
fn names_from_the_database_cannot_steer_the_terminal() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, name TEXT)");
    project.sql("ALTER TABLE hive ADD COLUMN \"\u{1b}[31mred\u{7}\" TEXT");
    let said = project.expect(1, &["changes"]);
    assert!(!said.contains('\u{1b}') && !said.contains('\u{7}') && said.contains("\\u{1b}[31mred\\u{7}"), "{said:?}");
    project.merge(&[]);
    project.expect(0, &["check"]);
}
