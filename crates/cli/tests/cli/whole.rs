//! Written wholly or not at all, beside others that look and write; and what can't be written is found out before.

use crate::support::{Project, assert_same_files, files_below, program};
use std::collections::BTreeMap;
use std::path::PathBuf;

const SQL: &str = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, colour TEXT)";

fn definition_and_state(project: &Project) -> BTreeMap<PathBuf, Vec<u8>> {
    let mut files = files_below(project.dir.path());
    files.retain(|file, _| !file.ends_with("my.db") && !file.ends_with("lock"));
    files
}

#[test]
fn three_undos_go_back_three_merges_and_a_fourth_has_nothing_to_undo() {
    let project = Project::new(SQL);
    let mut states = vec![project.definition()];
    for column in ["one", "two", "three"] {
        project.sql(&format!("ALTER TABLE hive ADD COLUMN {column} TEXT"));
        project.expect(0, &["merge", "--write", "--safe"]);
        states.push(project.definition());
    }
    for state in states.iter().rev().skip(1) {
        project.expect(0, &["undo"]);
        project.same_definition(state);
    }
    assert!(project.expect(2, &["undo"]).contains("there is no merge to undo"));
    // The latest undo can be taken back, and that one again.
    let first = project.latest_entry();
    project.expect(0, &["undo", &first[first.len() - 6..]]);
    project.same_definition(&states[1]);
    assert!(project.expect(2, &["undo", &first]).contains("is taken back already"));
    project.expect(0, &["undo"]);
    project.same_definition(&states[0]);
    assert!(project.expect(0, &["history"]).contains("(taken back)"));
}

#[test]
fn entries_of_two_branches_lie_side_by_side() {
    let project = Project::new(SQL);
    let other = Project::empty("");
    for (file, bytes) in files_below(project.dir.path()) {
        let path = other.path(&file.to_string_lossy());
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, bytes).unwrap();
    }
    for (branch, column) in [(&project, "one"), (&other, "two")] {
        branch.sql(&format!("ALTER TABLE hive ADD COLUMN {column} TEXT"));
        branch.expect(0, &["merge", "--write", "--safe"]);
    }
    let theirs = other.latest_entry();
    assert_ne!(project.latest_entry(), theirs);
    let entry = format!(".ysomorph/merges/{theirs}.json");
    project.write(&entry, &other.read(&entry));
    assert_eq!(project.expect(0, &["history"]).matches("merged 1 change of the database").count(), 2);
    // What comes next comes after both.
    project.sql("ALTER TABLE hive ADD COLUMN three TEXT");
    project.expect(0, &["merge", "--write", "--safe"]);
    let latest = project.read(&format!(".ysomorph/merges/{}.json", project.latest_entry()));
    assert!(latest.contains(&theirs), "{latest}");
}

#[test]
fn lookers_beside_writers_see_the_old_or_the_new() {
    let project = Project::new(SQL);
    // As many tables as make a merge write many files.
    for n in 0..30 {
        project.sql(&format!("CREATE TABLE t{n} (id INTEGER PRIMARY KEY, a TEXT, hive_id INTEGER REFERENCES hive (id))"));
    }
    project.expect(0, &["decide", "table/t0", "in"]);
    for n in 1..30 {
        project.expect(0, &["decide", &format!("table/t{n}"), "in"]);
    }
    let spawn = |arguments: &[&str]| {
        let mut command = std::process::Command::new(program());
        command.arg("-C").arg(project.dir.path()).args(arguments).stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped());
        command.spawn().unwrap()
    };
    for round in 0..4 {
        let writing: &[&str] = if round % 2 == 0 { &["merge", "--write", "--safe"] } else { &["undo"] };
        let mut children: Vec<_> = (0..8).map(|_| spawn(&["check"])).collect();
        let writers: Vec<_> = (0..2).map(|_| spawn(writing)).collect();
        children.extend((0..8).map(|_| spawn(&["check"])));
        for child in children {
            let output = child.wait_with_output().unwrap();
            let said = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
            // Half of a merge would be no sound definition.
            assert!(output.status.code() == Some(0) && said.starts_with("Sound"), "round {round}: {said}");
        }
        let done: Vec<_> = writers.into_iter().map(|w| w.wait_with_output().unwrap()).collect();
        assert!(done.iter().any(|o| o.status.success()), "round {round}: nobody wrote");
    }
    project.expect(0, &["check"]);
}

#[cfg(unix)]
#[test]
fn what_can_not_be_written_is_found_out_before_anything_is() {
    use std::os::unix::fs::PermissionsExt;
    use std::os::unix::process::CommandExt;
    // Whoever runs the tests may be allowed everything; somebody else isn't.
    let user = |project: &Project, arguments: &[&str]| {
        let mut command = std::process::Command::new(program());
        command.arg("-C").arg(project.dir.path()).args(arguments).env("HOME", "/nowhere");
        if rustix_is_root() {
            command.uid(65_534).gid(65_534);
        }
        let output = command.output().unwrap();
        (output.status.code(), format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr)))
    };
    let mode = |project: &Project, path: &str, mode: u32| {
        std::fs::set_permissions(project.path(path), std::fs::Permissions::from_mode(mode)).unwrap();
    };
    let open = |project: &Project| {
        for path in std::iter::once(project.dir.path().to_owned()).chain(folders(project.dir.path())) {
            std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o777)).unwrap();
        }
        for file in files_below(project.dir.path()).keys() {
            std::fs::set_permissions(project.path(&file.to_string_lossy()), std::fs::Permissions::from_mode(0o666)).unwrap();
        }
    };
    if !std::process::Command::new(program())
        .arg("--version")
        .uid(if rustix_is_root() { 65_534 } else { rustix_uid() })
        .output()
        .is_ok_and(|o| o.status.success())
    {
        println!("skipped: another user can't run the program here");
        return;
    }
    for (path, closed, again, words) in [
        ("app", 0o555, 0o777, "cannot write `app"),
        (".ysomorph", 0o555, 0o777, "cannot write"),
        ("app/hive.toml", 0o444, 0o666, "`app/hive.toml` is read-only"),
    ] {
        let project = Project::new(SQL);
        project.sql("ALTER TABLE hive DROP COLUMN colour");
        open(&project);
        mode(&project, path, closed);
        let before = definition_and_state(&project);
        let (code, said) = user(&project, &["merge", "--write", "--safe"]);
        // Files of somebody else's can't be written anew as theirs.
        let told = said.contains(words) || said.contains("belongs to somebody else");
        assert!(code == Some(2) && told, "{path}: {said}");
        assert_same_files(&before, &definition_and_state(&project), path);
        let (code, said) = user(&project, &["check"]);
        assert!(code == Some(0) && said.starts_with("Sound"), "{path}: looking still works: {said}");
        // Nothing that was said to have failed is completed later.
        mode(&project, path, again);
        assert_eq!(project.run(&["check"]).code, 0);
        assert_same_files(&before, &definition_and_state(&project), path);
    }
    // A folder that can't be listed isn't an empty one.
    let project = Project::new(SQL);
    open(&project);
    mode(&project, "app", 0o311);
    if rustix_is_root() {
        let (code, said) = user(&project, &["check"]);
        assert!(code == Some(2) && said.contains("app/"), "{said}");
    }
    mode(&project, "app", 0o777);
    std::fs::rename(project.path("app"), project.path("elsewhere")).unwrap();
    for command in [&["check"][..], &["merge", "--write"], &["impact"]] {
        assert!(project.expect(2, command).contains("app/: the folder is missing"), "{command:?}");
    }
}

#[cfg(unix)]
fn rustix_is_root() -> bool {
    rustix_uid() == 0
}

#[cfg(unix)]
fn rustix_uid() -> u32 {
    use std::os::unix::fs::MetadataExt;
    tempfile::tempdir().unwrap().path().metadata().unwrap().uid()
}

#[cfg(unix)]
fn folders(root: &std::path::Path) -> Vec<PathBuf> {
    let inside = std::fs::read_dir(root).unwrap().flatten().map(|e| e.path()).filter(|p| p.is_dir());
    inside.flat_map(|p| std::iter::once(p.clone()).chain(folders(&p))).collect()
}

#[cfg(unix)]
#[test]
fn modes_stay_through_merge_return_and_undo() {
    use std::os::unix::fs::PermissionsExt;
    let project = Project::new(&format!("{SQL}; CREATE TABLE queen (id INTEGER PRIMARY KEY, name TEXT)"));
    let mode = |file: &str| std::fs::metadata(project.path(file)).map(|m| m.permissions().mode() & 0o777).ok();
    for (file, bits) in [("app/hive.toml", 0o640), ("app/queen.toml", 0o600)] {
        std::fs::set_permissions(project.path(file), std::fs::Permissions::from_mode(bits)).unwrap();
    }
    project.sql("ALTER TABLE hive ADD COLUMN built DATE; DROP TABLE queen");
    project.expect(0, &["merge", "--write", "--safe"]);
    assert_eq!((mode("app/hive.toml"), mode("app/queen.toml")), (Some(0o640), None));
    project.expect(0, &["undo"]);
    assert_eq!((mode("app/hive.toml"), mode("app/queen.toml")), (Some(0o640), Some(0o600)));
    project.expect(0, &["merge", "--write", "--safe"]);
    project.sql("CREATE TABLE queen (id INTEGER PRIMARY KEY, name TEXT)");
    project.expect(0, &["merge", "--write", "--safe"]);
    assert_eq!(mode("app/queen.toml"), Some(0o600), "the file is back as it left");
}

#[cfg(target_os = "linux")]
#[test]
fn output_that_can_not_be_written_is_trouble_and_a_closed_pipe_is_not() {
    let project = Project::new(SQL);
    project.sql("ALTER TABLE hive DROP COLUMN colour");
    let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
    for command in [&["changes"][..], &["impact", "--format", "json"], &["capture"], &["explain"]] {
        let output = std::process::Command::new(program())
            .arg("-C")
            .arg(project.dir.path())
            .args(command)
            .stdout(full.try_clone().unwrap())
            .output();
        let output = output.unwrap();
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(output.status.code() == Some(2) && said.contains("cannot write the result"), "{command:?}: {said}");
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        let output = std::process::Command::new(program()).arg("-C").arg(project.dir.path()).args(command).stdout(writer).output().unwrap();
        assert!(output.stderr.is_empty() && output.status.code() != Some(2), "{command:?}: {output:?}");
    }
    for file in ["/dev/full", "nowhere/x.json"] {
        assert!(project.expect(2, &["changes", "--output", file]).contains("cannot write"), "{file}");
    }
    // No neighbour is written over on the way.
    project.write("a.new", "precious");
    project.expect(0, &["capture", "-o", &project.path("a.json").display().to_string()]);
    assert_eq!(project.read("a.new"), "precious");
}

#[test]
fn a_start_that_fails_leaves_nothing() {
    let project = Project::empty(SQL);
    project.write("app", "in the way");
    let before = files_below(project.dir.path());
    let url = format!("sqlite:{}", project.path("my.db").display());
    assert!(project.expect(2, &["start", "--from", &url]).contains("`app` is a file, not a folder"));
    assert_same_files(&before, &files_below(project.dir.path()), "start");
    assert!(!project.path(".ysomorph").exists());
}

#[test]
fn many_problems_are_counted_and_the_first_are_shown_at_once() {
    let project = Project::new(SQL);
    let keys = (0..50_000).map(|n| format!("colour_{n} = \"blue\"\n")).collect::<String>();
    project.edit("app/hive.toml", "[field.tag]\n", &format!("[field.tag]\n{keys}"));
    let ran = project.run_bounded(&["check"]);
    assert!(ran.code == 1 && ran.out.contains("50000 breaks") && ran.out.lines().count() < 2_000, "{}", &ran.out[..400.min(ran.out.len())]);
    let ran = project.run_bounded(&["merge"]);
    assert!(ran.code == 2 && ran.err.contains("50000 problems") && ran.err.lines().count() < 500, "{}", ran.err.lines().count());
    let project = Project::new(SQL);
    let entries = (0..100_000).map(|n| format!("msgctxt \"hive/label/one\"\nmsgid \"Hive\"\nmsgstr \"Stock {n}\"\n\n")).collect::<String>();
    project.write("app/labels.de.po", &entries);
    for command in [&["check"][..], &["impact"], &["merge"]] {
        let ran = project.run_bounded(command);
        assert!(ran.code <= 1, "{command:?}: {}", ran.err);
    }
    let broken = (0..20_000).map(|n| format!("key {n} = 1\n")).collect::<String>();
    project.write("app/hive.toml", &broken);
    let ran = project.run_bounded(&["check"]);
    assert!(ran.code == 2 && ran.err.lines().count() < 500, "{}", ran.err.lines().count());
}
