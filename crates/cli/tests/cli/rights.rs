//! `access`: who may see and do what, now and after the merge, and that a merge gives nobody more.

use crate::support::Project;

#[test]
fn the_demo_tells_what_each_role_loses_and_that_nobody_gets_more() {
    let project = Project::demo(None);
    let now = project.expect(0, &["access", "keeper", "--now"]);
    assert!(now.starts_with("Rights to 1 entity, as the definition is now.") && now.contains("hidden: street, postcode, phone"), "{now}");
    project.change_demo(None);
    let told = project.expect(0, &["access"]);
    assert!(told.starts_with("The merge gives nobody more on 11 entities; 1 role of an entity may do less."), "{told}");
    // A filter that lost its column lets nobody see anything, and new columns are hidden from whoever is restricted.
    let keeper = project.expect(0, &["access", "keeper", "--role", "keeper", "--role", "vet"]);
    assert!(keeper.contains("after the merge: no records") && !keeper.contains("everyone"), "{keeper}");
    assert!(keeper.contains("after the merge also hidden: postal_code, iban, email_confirmed"), "{keeper}");
    let json: serde_json::Value = serde_json::from_str(&project.expect(0, &["access", "--format", "json"])).unwrap();
    assert!(json["access"].as_array().unwrap().iter().all(|a| a.get("wider").is_none()), "{json}");
    // With the renames taken the filter is the same one under new names: nobody loses anything.
    for (question, choice) in [("rename/keeper.postcode", "postal_code"), ("rename/remedy", "medicine"), ("rename/hive.tag", "hive_no")] {
        project.expect(0, &["decide", question, choice]);
    }
    let told = project.expect(0, &["access"]);
    assert!(told.starts_with("The merge gives nobody more and nobody less, on 11 entities."), "{told}");
    let unknown = project.run(&["access", "--role", "kepper"]);
    assert!(unknown.code == 2 && unknown.err.contains("did you mean `keeper`?"), "{}", unknown.err);
}

#[test]
fn what_changed_is_told_of_a_definition_that_can_not_be_read() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT)");
    project.sql("ALTER TABLE hive DROP COLUMN tag");
    project.append("app/hive.toml", "\nno toml = = 1\n");
    assert!(project.expect(1, &["changes"]).contains("column dropped"), "the definition has no say in it");
    assert_eq!(project.run(&["impact"]).code, 2);
}
