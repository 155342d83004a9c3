//! Looking never writes.

use crate::support::{Project, assert_same_files, files_below};

#[test]
fn no_looking_command_changes_a_byte() {
    let project = Project::new(
        "CREATE TABLE a (id INTEGER PRIMARY KEY, name TEXT NOT NULL, old TEXT); CREATE TABLE b (id INTEGER PRIMARY KEY, a_id INTEGER REFERENCES a (id));",
    );
    project.sql("ALTER TABLE a RENAME COLUMN old TO older; DROP TABLE b; CREATE TABLE c (x TEXT)");
    // As programs that write at the same time leave it.
    project.sql("PRAGMA journal_mode = wal; CREATE TABLE d (y TEXT)");
    let before = files_below(project.dir.path());
    let commands: &[&[&str]] = &[
        &["changes"],
        &["changes", "--format", "json"],
        &["impact"],
        &["impact", "--format", "json", "--severity", "break"],
        &["decide"],
        &["decide", "--list"],
        &["merge"],
        &["merge", "--safe"],
        &["merge", "--format", "json"],
        &["check"],
        &["rehearse"],
        &["custom"],
        &["rehearse", "--format", "junit"],
        &["capture"],
        &["changes", "--by", "--data"],
        &["history"],
        &["explain"],
        &["explain", "page/table-missing"],
        &["changes", "--changed", "sqlite:nowhere.db"],
    ];
    for command in commands {
        project.run(command);
        assert_same_files(&before, &files_below(project.dir.path()), &format!("{command:?} wrote something"));
    }
    // A merge with an open question writes nothing, lists them and says so by its status.
    let refused = project.expect(1, &["merge", "--write"]);
    assert!(refused.contains("rename/a.old"), "{refused}");
    assert_same_files(&before, &files_below(project.dir.path()), "a merge with an open question");
}
