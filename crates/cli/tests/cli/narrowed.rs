//! Access never widens: whatever falls apart, comes back or is edited while something is hidden.

use crate::support::Project;

const SQL: &str = "
CREATE TABLE yard (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL);
CREATE TABLE stand (yard INTEGER NOT NULL, place INTEGER NOT NULL, kind TEXT, PRIMARY KEY (yard, place));
CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, yard INTEGER, place INTEGER, price INTEGER, FOREIGN KEY (yard, place) REFERENCES stand (yard, place));
";

/// With a guest who doesn't see some fields of hives.
fn with_guest(hide: &str) -> Project {
    let project = Project::new(SQL);
    project.edit(
        "app/app.toml",
        "[role.everyone]\nlabel = \"Everyone\"",
        "[role.everyone]\nlabel = \"Everyone\"\n\n[role.guest]\nlabel = \"Guest\"",
    );
    project.append("app/hive.toml", &format!("\n[access.guest]\nread = true\nhide = [{hide}]\n"));
    project.expect(0, &["check"]);
    project
}

/// What the guest doesn't see.
fn hidden(project: &Project) -> String {
    project.read("app/hive.toml").lines().find(|l| l.starts_with("hide = ")).unwrap_or_default().to_owned()
}

#[test]
fn the_columns_of_a_hidden_lookup_stay_hidden_when_it_falls_apart() {
    let project = with_guest("\"stand\"");
    let before = project.definition();
    project.sql("CREATE TABLE new_hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, yard INTEGER, place INTEGER, price INTEGER); DROP TABLE stand; DROP TABLE hive; ALTER TABLE new_hive RENAME TO hive");
    project.merge(&[]);
    let told = hidden(&project);
    let shown = project.read("app/hive.toml");
    for column in ["yard", "place"] {
        assert!(!shown.contains(&format!("column = \"{column}\"")) || told.contains(&format!("\"{column}\"")), "{shown}");
    }
    project.sql("DROP TABLE hive");
    project.sql(&format!("DROP TABLE yard; {SQL}"));
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn what_is_hidden_in_a_deleted_list_is_hidden_when_it_returns() {
    let project = with_guest("\"tag\", \"price\"");
    project.sql("ALTER TABLE hive DROP COLUMN price");
    project.merge(&[]);
    assert_eq!(hidden(&project), "hide = [\"tag\"]");
    project.edit("app/hive.toml", "hide = [\"tag\"]\n", "");
    project.sql("ALTER TABLE hive ADD COLUMN price INTEGER");
    project.merge(&[]);
    assert_eq!(hidden(&project), "hide = [\"price\"]", "{}", project.read("app/hive.toml"));
}

#[test]
fn who_is_restricted_meanwhile_does_not_see_what_returns() {
    let project = Project::new(SQL);
    project.edit(
        "app/app.toml",
        "[role.everyone]\nlabel = \"Everyone\"",
        "[role.everyone]\nlabel = \"Everyone\"\n\n[role.guest]\nlabel = \"Guest\"",
    );
    project.append("app/hive.toml", "\n[access.guest]\nread = true\n");
    project.sql("ALTER TABLE hive DROP COLUMN price");
    project.merge(&[]);
    project.append("app/hive.toml", "hide = [\"tag\"]   # now\n");
    project.sql("ALTER TABLE hive ADD COLUMN price INTEGER");
    project.merge(&[]);
    assert_eq!(hidden(&project), "hide = [\"tag\", \"price\"]   # now");
}

/// What is hidden speaks of a field by the name that a person gave it meanwhile; what a person deleted takes along what names it.
#[test]
fn what_is_hidden_follows_a_rename_by_hand_and_stays_hidden_without_its_field() {
    let project = Project::new(SQL);
    project.edit("app/hive.toml", "title = \"{stand}\"", "title = \"{tag} {price}\"   # ours");
    project.sql("ALTER TABLE hive DROP COLUMN price");
    project.merge(&[]);
    let renamed = project
        .read("app/hive.toml")
        .replace("[field.tag]", "[field.number]")
        .replace("\"tag\"", "\"number\"")
        .replace("{tag}", "{number}");
    project.write("app/hive.toml", &renamed.replace("column = \"number\"", "column = \"tag\""));
    project.edit("app/stand.toml", "fields = [\"tag\"]", "fields = [\"number\"]");
    project.expect(0, &["check"]);
    project.sql("ALTER TABLE hive ADD COLUMN price INTEGER");
    project.merge(&[]);
    assert!(project.read("app/hive.toml").contains("title = \"{number} {price}\"   # ours"), "{}", project.read("app/hive.toml"));
    project.expect(0, &["check"]);
}

/// A file that is hidden as a whole is never taken for one that a person makes under its name, and what is remembered is never guessed.
#[test]
fn a_hidden_file_is_not_lost_to_one_of_its_name_nor_read_where_it_is_damaged() {
    let project = Project::new(SQL);
    project.edit("app/yard.toml", "label = { one", "label   = { one");
    let before = project.definition();
    project.sql("DROP TABLE yard");
    project.merge(&[]);
    let list = project.read(".ysomorph/kept/yard.entity.list");
    project.write("app/yard.toml", &project.read("app/stand.toml"));
    let refused = project.expect(2, &["merge", "--write", "--safe"]);
    assert!(refused.contains("app/yard.toml") && refused.contains("another name"), "{refused}");
    assert_eq!(project.read(".ysomorph/kept/yard.entity.list"), list);
    std::fs::remove_file(project.path("app/yard.toml")).unwrap();
    let damaged = list.replacen("\"notes\":{\"0\":\"{", "\"notes\":{\"0\":\"{{", 1);
    assert_ne!(damaged, list);
    project.write(".ysomorph/kept/yard.entity.list", &damaged);
    assert!(project.expect(2, &["merge"]).contains("what is remembered of a tile can't be read"));
    project.write(".ysomorph/kept/yard.entity.list", &list);
    project.sql("CREATE TABLE yard (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL)");
    project.merge(&[]);
    project.same_definition(&before);
}

/// What is set aside and gives way to what people write is told, for good as it is.
#[test]
fn what_gives_way_to_a_persons_edit_is_listed() {
    let project = Project::new(SQL);
    project.edit("app/hive.toml", "title = \"{stand}\"", "title = \"{tag} {price}\"   # ours");
    project.sql("ALTER TABLE hive DROP COLUMN price");
    project.merge(&[]);
    assert!(!project.expect(0, &["merge"]).contains("gave way"));
    // The title stands in for one that names the price.
    let title = project.read("app/hive.toml").lines().find(|l| l.starts_with("title = ")).unwrap().to_owned();
    project.edit("app/hive.toml", &title, "title = \"No {tag}\"");
    // A field under the name of one that is away gives way to nothing: that one comes back under another.
    project.append("app/hive.toml", "\n[field.price]\ncolumn = \"tag\"\nkind = \"text\"\n");
    let told = project.expect(0, &["merge"]);
    assert!(told.contains("gave way to what was edited by hand"), "{told}");
    assert!(told.contains("hive/title  \"{tag} {price}\" won't come back"), "{told}");
    assert!(!told.contains("hive/field/price"), "{told}");
    project.sql("ALTER TABLE hive ADD COLUMN price NUMERIC");
    project.merge(&[]);
    assert!(project.read("app/hive.toml").contains("[field.price_2]\ncolumn = \"price\""));
}
