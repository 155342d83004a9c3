//! Views whose records nothing tells apart: the key is asked, stays as chosen, and comes back.

use crate::support::Project;

const SQL: &str = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, kind TEXT, yard TEXT)";
const SUMMARY: &str = "CREATE VIEW summary AS SELECT DISTINCT upper(tag) AS tag_no, kind || '' AS kind_code, lower(yard) AS yard FROM hive";

#[test]
fn the_key_of_a_new_view_is_asked_and_stays_as_chosen() {
    let project = Project::new(SQL);
    let before = project.definition();
    project.sql(SUMMARY);
    project.expect(0, &["decide", "table/summary", "in"]);
    let asked = project.run(&["decide", "--list"]);
    assert!(asked.code == 1 && asked.out.contains("key/summary") && asked.out.contains("kind_code"), "{}", asked.out);
    // Nothing is written while it is open.
    assert_eq!(project.run(&["merge", "--write"]).code, 1);
    project.merge(&[("key/summary", "tag_no,kind_code,yard")]);
    assert!(project.read("app/summary.toml").contains("key = [\"tag_no\", \"kind_code\", \"yard\"]"));
    assert!(project.expect(0, &["check"]).contains("0 findings"));
    // What it was given as isn't asked again, whatever else changes.
    project.sql("ALTER TABLE hive ADD COLUMN colour TEXT");
    project.merge(&[]);
    assert!(project.read("app/summary.toml").contains("key = [\"tag_no\", \"kind_code\", \"yard\"]"));
    project.sql("ALTER TABLE hive DROP COLUMN colour; DROP VIEW summary");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn a_key_whose_column_went_is_asked_anew_and_comes_back() {
    let project = Project::empty(SQL);
    project.sql(SUMMARY);
    project.expect(0, &["start", "--from", &format!("sqlite:{}", project.path("my.db").display())]);
    let before = project.definition();
    let key = |project: &Project| project.read("app/summary.toml").lines().find(|l| l.starts_with("key")).unwrap().to_owned();
    let first = key(&project);
    project.sql(&format!("DROP VIEW summary; {}", SUMMARY.replace("upper(tag) AS tag_no, ", "")));
    let asked = project.run(&["decide", "--list"]);
    assert!(asked.out.contains("key/summary"), "{first}: {}", asked.out);
    project.merge(&[("key/summary", "kind_code,yard")]);
    assert_eq!(key(&project), "key = [\"kind_code\", \"yard\"]");
    project.sql(&format!("DROP VIEW summary; {SUMMARY}"));
    project.merge(&[]);
    project.same_definition(&before);
}
