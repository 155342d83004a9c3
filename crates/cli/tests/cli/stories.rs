//! The stories a merge has to tell, each on a real database, through the built program.

use crate::support::{Project, assert_same_files, files_below};

/// Keepers, their regions and apiaries.
pub const BEES: &str = "
CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL UNIQUE);
CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, postcode VARCHAR(10), place VARCHAR(60), phone VARCHAR(20), region_id INTEGER REFERENCES region (id));
CREATE TABLE apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, keeper_id INTEGER NOT NULL REFERENCES keeper (id));
";

/// A keeper with a label, a hidden rule, a hand-ordered list with comments, and a row filter.
fn customised() -> Project {
    let project = Project::new(BEES);
    project.edit(
        "app/keeper.toml",
        "column = \"postcode\"\nkind = \"text\"",
        "column = \"postcode\"\nkind = \"text\"\nlabel = \"ZIP\"   # as they say",
    );
    project.edit(
        "app/keeper.toml",
        "[page.list]\nfields = [\"name\", \"place\", \"phone\", \"region\", \"postcode\"]",
        "[page.list]\nfields = [\n  \"postcode\",   # first: for the post round\n  \"name\",\n  \"phone\", \"place\"\n]",
    );
    project.edit(
        "app/app.toml",
        "[role.everyone]\nlabel = \"Everyone\"",
        "[role.everyone]\nlabel = \"Everyone\"\n\n[role.guest]\nlabel = \"Guest\"\n\n[parameter.me]\nkind = \"number\"",
    );
    project.write("app/keeper.toml", &(project.read("app/keeper.toml") + "\n# guests see little\n[access.guest]\nread = true\nrows = \"postcode LIKE '4%' AND id = :me\"\nhide = [\"phone\", \"postcode\"]\n"));
    project.expect(0, &["check"]);
    project
}

#[test]
fn a_rename_carries_label_place_hidden_rule_and_row_filter_and_back() {
    let project = customised();
    let before = project.definition();
    project.sql("ALTER TABLE keeper RENAME COLUMN postcode TO \"post code\"");
    project.expect(1, &["merge", "--write"]);
    project.same_definition(&before);
    project.merge(&[("rename/keeper.postcode", "post code")]);
    let keeper = project.read("app/keeper.toml");
    for expected in [
        "column = \"\\\"post code\\\"\"\nkind = \"text\"\nlabel = \"ZIP\"   # as they say",
        "  \"postcode\",   # first: for the post round\n  \"name\",\n  \"phone\", \"place\"\n]",
        "rows = \"\\\"post code\\\" LIKE '4%' AND id = :me\"",
        "hide = [\"phone\", \"postcode\"]",
    ] {
        assert!(keeper.contains(expected), "{expected}\n{keeper}");
    }
    project.expect(0, &["check"]);
    // The way back is certain, and gives the very bytes.
    project.sql("ALTER TABLE keeper RENAME COLUMN \"post code\" TO postcode");
    assert!(project.expect(1, &["changes"]).contains("the reverse of an earlier rename"));
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn chains_and_swaps_of_renames_come_back_in_one_step() {
    let project = customised();
    let before = project.definition();
    for (from, to) in [("postcode", "post_code"), ("post_code", "postal_code"), ("postal_code", "zip_code")] {
        project.sql(&format!("ALTER TABLE keeper RENAME COLUMN {from} TO {to}"));
        project.merge(&[(&format!("rename/keeper.{from}"), to)]);
    }
    assert!(project.read("app/keeper.toml").contains("rows = \"zip_code LIKE '4%'"));
    project.sql("ALTER TABLE keeper RENAME COLUMN zip_code TO postcode");
    project.merge(&[]);
    project.same_definition(&before);
    // A swap, over a name in between.
    for (from, to) in [("phone", "x_phone"), ("place", "phone"), ("x_phone", "place")] {
        project.sql(&format!("ALTER TABLE keeper RENAME COLUMN {from} TO {to}"));
        project.merge(&[(&format!("rename/keeper.{from}"), to)]);
    }
    let keeper = project.read("app/keeper.toml");
    assert!(keeper.contains("[field.phone]\ncolumn = \"place\"") && keeper.contains("[field.place]\ncolumn = \"phone\""), "{keeper}");
    for (from, to) in [("place", "x_phone"), ("phone", "place"), ("x_phone", "phone")] {
        project.sql(&format!("ALTER TABLE keeper RENAME COLUMN {from} TO {to}"));
        project.merge(&[]);
    }
    project.same_definition(&before);
}

#[test]
fn a_dropped_column_is_set_aside_and_returns_to_its_places() {
    let project = customised();
    let before = project.definition();
    project.sql("ALTER TABLE keeper DROP COLUMN postcode");
    project.merge(&[]);
    let keeper = project.read("app/keeper.toml");
    assert!(
        !keeper.contains("postcode") && keeper.contains("rows = \"1 = 0\""),
        "a role whose filter is lost sees nobody's records:\n{keeper}"
    );
    project.expect(0, &["check"]);
    project.sql("ALTER TABLE keeper ADD COLUMN postcode VARCHAR(10)");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn two_dropped_columns_return_in_either_order() {
    for back in [["postcode VARCHAR(10)", "phone VARCHAR(20)"], ["phone VARCHAR(20)", "postcode VARCHAR(10)"]] {
        for together in [true, false] {
            let project = customised();
            project.edit("app/keeper.toml", "title = \"{name}\"", "title = '{phone} / {postcode}' # odd, but ours");
            let before = project.definition();
            project.sql("ALTER TABLE keeper DROP COLUMN phone");
            if !together {
                project.merge(&[]);
            }
            project.sql("ALTER TABLE keeper DROP COLUMN postcode");
            project.merge(&[]);
            for column in back {
                project.sql(&format!("ALTER TABLE keeper ADD COLUMN {column}"));
                project.merge(&[]);
            }
            project.same_definition(&before);
        }
    }
}

fn apiary_with(size: &str) -> String {
    format!(
        "CREATE TABLE new_apiary (id INTEGER PRIMARY KEY, name {size} NOT NULL, keeper_id INTEGER NOT NULL REFERENCES keeper (id)); DROP TABLE apiary; ALTER TABLE new_apiary RENAME TO apiary"
    )
}

#[test]
fn a_limit_tightened_and_loosened_leaves_a_stricter_hand_made_one_and_brings_a_looser_one_back() {
    for (mine, tightened) in [
        ("max_length = 20   # the sign is small", "max_length = 20   # the sign is small"),
        ("max_length = 60   # printed", "max_length = 40   # printed"),
    ] {
        let project = Project::new(BEES);
        project.edit("app/apiary.toml", "max_length = 80", mine);
        let before = project.definition();
        project.sql(&apiary_with("VARCHAR(40)"));
        let asked = project.run(&["decide", "--list"]);
        assert_eq!(
            (asked.code == 1, asked.out.contains("limit/apiary.name/max_length")),
            (mine.contains("60"), mine.contains("60")),
            "{}",
            asked.out
        );
        project.merge(&[]);
        assert!(project.read("app/apiary.toml").contains(tightened));
        project.sql(&apiary_with("VARCHAR(80)"));
        project.merge(&[]);
        project.same_definition(&before);
    }
}

#[test]
fn a_column_added_where_a_role_hides_fields_and_the_list_is_hand_laid_then_dropped() {
    let project = customised();
    let before = project.definition();
    project.sql("ALTER TABLE keeper ADD COLUMN shoe_size INTEGER");
    assert!(project.expect(1, &["impact"]).contains("access/new-field-exposed"));
    assert!(project.expect(1, &["decide", "--list"]).contains("new-field/keeper.shoe_size"));
    project.merge(&[]);
    let keeper = project.read("app/keeper.toml");
    assert!(keeper.contains("hide = [\"phone\", \"postcode\", \"shoe_size\"]"), "{keeper}");
    assert!(keeper.contains("[field.shoe_size]") && keeper.contains("  \"phone\", \"place\"\n]"), "left off the hand-laid list: {keeper}");
    project.sql("ALTER TABLE keeper DROP COLUMN shoe_size");
    project.merge(&[]);
    project.same_definition(&before);
    // Remote clients don't see it either, until a person says so.
    project.append("app/keeper.toml", "\n[outward]\nname = \"people\"\n");
    let before = project.definition();
    project.sql("ALTER TABLE keeper ADD COLUMN shoe_size INTEGER");
    project.merge(&[]);
    assert!(project.read("app/keeper.toml").contains("name = \"people\"\nhide = [\"shoe_size\"]"), "{}", project.read("app/keeper.toml"));
    project.sql("ALTER TABLE keeper DROP COLUMN shoe_size");
    project.merge(&[]);
    project.same_definition(&before);
    // Answered, it goes where the generator would put it.
    project.sql("ALTER TABLE keeper ADD COLUMN shoe_size INTEGER");
    project.sql("ALTER TABLE keeper ADD COLUMN hat_size INTEGER");
    project.merge(&[("new-field/keeper.hat_size", "append")]);
    assert!(project.read("app/keeper.toml").contains("hat_size\""));
}

#[test]
fn choices_in_a_persons_words_wait_while_the_database_refuses_them() {
    let table = |values: &str| {
        format!("CREATE TABLE hive (id INTEGER PRIMARY KEY, name VARCHAR(20) NOT NULL, kind VARCHAR(10) CHECK (kind IN ({values})))")
    };
    let project = Project::new(&table("'log', 'skep', 'frame'"));
    project.edit("app/hive.toml", "{ value = \"skep\", label = \"Skep\" },", "{ value = \"skep\", label = \"Straw\" },   # as we say");
    let before = project.definition();
    let now = |values: &str| project.sql(&format!("DROP TABLE hive; {}", table(values)));
    now("'log', 'frame', 'top-bar'");
    assert!(project.expect(1, &["decide", "--list"]).contains("limit/hive.kind/choices"));
    project.merge(&[]);
    let hive = project.read("app/hive.toml");
    assert!(!hive.contains("Straw") && hive.contains("top-bar"), "{hive}");
    now("'log', 'skep', 'frame'");
    project.merge(&[]);
    project.same_definition(&before);
    now("'log', 'frame'");
    project.merge(&[("limit/hive.kind/choices", "keep")]);
    assert!(project.read("app/hive.toml").contains("Straw"));
}

#[test]
fn a_table_dropped_and_returned_with_its_lookups_elsewhere() {
    let project = customised();
    project.edit(
        "app/keeper.toml",
        "lookup = { entity = \"region\" }",
        "lookup = { entity = \"region\",  where = \"name <> ''\" } # open ones",
    );
    project.edit("app/keeper.toml", "title = \"{name}\"", "title = \"{name} of {region.name}\"");
    project.edit("app/region.toml", "label = { one", "label   = { one");
    let before = project.definition();
    project.sql("DROP TABLE region");
    assert!(project.expect(1, &["impact"]).contains("lookup/target-missing"));
    project.merge(&[]);
    assert!(!project.path("app/region.toml").exists() && !project.read("app/app.toml").contains("region"));
    assert!(project.read("app/keeper.toml").contains("title = \"{name}\""));
    project.sql("CREATE TABLE region (id INTEGER PRIMARY KEY, name VARCHAR(40) NOT NULL UNIQUE)");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn a_hand_edit_in_the_same_array_in_between_stays_and_the_member_returns_to_its_neighbour() {
    let project = customised();
    project.sql("ALTER TABLE keeper DROP COLUMN phone");
    project.merge(&[]);
    project.edit("app/keeper.toml", "  \"name\", \"place\"\n", "  \"name\", # by hand\n  \"region\",\n  \"place\"\n");
    project.sql("ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)");
    project.merge(&[]);
    let keeper = project.read("app/keeper.toml");
    assert!(keeper.contains("  \"name\", # by hand\n  \"phone\",\n  \"region\",\n  \"place\"\n]"), "{keeper}");
}

#[test]
fn an_undo_gives_the_bytes_back_and_refuses_after_a_hand_edit() {
    let project = customised();
    let before = files_below(project.dir.path());
    let definition = project.definition();
    project.sql("ALTER TABLE keeper DROP COLUMN postcode");
    project.expect(0, &["decide", "--list"]);
    project.expect(0, &["merge", "--write"]);
    project.edit("app/keeper.toml", "label = { one = \"Keeper\"", "label = { one = \"Beekeeper\"");
    let refused = project.expect(2, &["undo"]);
    assert!(refused.contains("app/keeper.toml") && refused.contains("nothing was undone"), "{refused}");
    project.edit("app/keeper.toml", "\"Beekeeper\"", "\"Keeper\"");
    project.expect(0, &["undo"]);
    project.same_definition(&definition);
    let mut after = files_below(project.dir.path());
    after.retain(|f, _| before.contains_key(f));
    let mut expected = before.clone();
    expected.insert("my.db".into(), after[std::path::Path::new("my.db")].clone());
    assert_same_files(&expected, &after, "the undo left something else");
    // The undo is an entry: it can be taken back, and then undone again one further.
    project.expect(0, &["undo", &project.latest_entry()]);
    assert!(!project.read("app/keeper.toml").contains("postcode"));
    project.expect(0, &["undo"]);
    project.same_definition(&definition);
    project.expect(2, &["undo"]);
}

#[test]
fn undo_gives_the_answers_back() {
    let project = customised();
    project.sql("ALTER TABLE keeper RENAME COLUMN postcode TO postal_code");
    project.expect(0, &["decide", "rename/keeper.postcode", "postal_code", "--reason", "the post office wants it"]);
    project.expect(0, &["merge", "--write", "--safe"]);
    assert!(!project.path("decisions.toml").exists(), "used answers move into the entry");
    project.expect(0, &["undo"]);
    assert!(project.read("decisions.toml").contains("the post office wants it"));
    project.expect(0, &["merge", "--write", "--safe"]);
    assert!(project.read("app/keeper.toml").contains("column = \"postal_code\""));
}

#[test]
fn a_table_answered_later_then_in_then_out() {
    let project = customised();
    let before = project.definition();
    project.sql("CREATE TABLE swarm (id INTEGER PRIMARY KEY, place VARCHAR(60) NOT NULL, keeper_id INTEGER REFERENCES keeper (id))");
    project.merge(&[("table/swarm", "later")]);
    project.same_definition(&before);
    assert!(project.expect(0, &["changes"]).contains("left for later"), "a table left for later doesn't count");
    project.merge(&[("table/swarm", "in")]);
    let swarm = project.read("app/swarm.toml");
    assert!(
        swarm.contains("lookup = { entity = \"keeper\" }") && swarm.contains("[access.everyone]") && !swarm.contains("guest"),
        "{swarm}"
    );
    assert!(project.read("app/app.toml").contains("\"swarm\""));
    project.expect(0, &["check"]);
    project.sql("DROP TABLE swarm");
    project.merge(&[]);
    project.same_definition(&before);
    project.sql("CREATE TABLE scratch (x INTEGER)");
    project.merge(&[("table/scratch", "out")]);
    assert!(project.read("ysomorph.toml").contains("exclude = [\"scratch\"]"));
    project.expect(0, &["changes"]);
}

#[test]
fn a_lookup_whose_foreign_key_alone_went_stays_a_lookup() {
    let project = Project::new(BEES);
    let before = project.definition();
    project.sql("CREATE TABLE new_apiary (id INTEGER PRIMARY KEY, name VARCHAR(80) NOT NULL, keeper_id INTEGER NOT NULL); DROP TABLE apiary; ALTER TABLE new_apiary RENAME TO apiary");
    project.merge(&[]);
    project.same_definition(&before);
    project.sql(&apiary_with("VARCHAR(80)"));
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn a_hidden_column_that_may_have_a_new_name_stays_hidden_also_when_answered_separate() {
    let project = Project::new(BEES);
    project.edit("app/keeper.toml", "column = \"phone\"", "column = \"phone\"\nhidden = true");
    project.sql("ALTER TABLE keeper RENAME COLUMN phone TO phone_number");
    assert!(project.expect(1, &["impact"]).contains("access/protection-lost"));
    project.merge(&[("rename/keeper.phone", "separate")]);
    let keeper = project.read("app/keeper.toml");
    let field = keeper.split("[field.phone_number]").nth(1).unwrap_or_default().split("\n[").next().unwrap_or_default().to_owned();
    assert!(field.contains("hidden = true"), "{keeper}");
}

#[test]
fn what_a_merge_leaves_is_listed_until_it_is_true_no_more_or_closed() {
    let project = Project::new(BEES);
    project.edit("app/keeper.toml", "column = \"place\"", "column = \"place\"\nhidden = true");
    project.sql("CREATE TABLE k AS SELECT * FROM keeper; DROP TABLE keeper; CREATE TABLE keeper (id INTEGER PRIMARY KEY, name VARCHAR(60) NOT NULL, postcode VARCHAR(10), place VARCHAR(60) NOT NULL, phone VARCHAR(20), region_id INTEGER REFERENCES region (id)); DROP TABLE k");
    project.merge(&[]);
    let name = "page/required-column-absent/keeper/add";
    assert!(project.expect(0, &["decide", "--list"]).contains(&format!("done/{name}")));
    let undone = project.read(".ysomorph/follow-ups.toml");
    project.expect(0, &["decide", &format!("done/{name}")]);
    assert!(!project.expect(0, &["decide", "--list"]).contains(name));
    assert!(project.expect(2, &["decide", "done/nothing"]).contains("there is no open follow-up"));
    project.write(".ysomorph/follow-ups.toml", &undone);
    project.edit("app/keeper.toml", "column = \"place\"\nhidden = true", "column = \"place\"");
    project.expect(0, &["merge", "--write"]);
    assert!(!project.path(".ysomorph/follow-ups.toml").exists(), "it is true no more");
}

#[test]
fn sql_that_cannot_be_analysed_is_never_rewritten_but_left_to_a_person() {
    let project = customised();
    let odd = "id IN (SELECT value FROM json_each('[1]') WHERE postcode > '1')";
    project.edit("app/keeper.toml", "rows = \"postcode LIKE '4%' AND id = :me\"", &format!("rows = \"{odd}\""));
    let before = project.definition();
    project.sql("ALTER TABLE keeper RENAME COLUMN postcode TO zip");
    project.merge(&[("rename/keeper.postcode", "zip")]);
    let keeper = project.read("app/keeper.toml");
    assert!(keeper.contains(odd), "{keeper}");
    assert!(project.expect(0, &["decide", "--list"]).contains("can't be analysed with certainty"));
    project.sql("ALTER TABLE keeper RENAME COLUMN zip TO postcode");
    project.merge(&[]);
    project.same_definition(&before);
}

#[test]
fn every_spelling_of_toml_goes_there_and_back() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL, colour VARCHAR(20), built DATE)");
    let text = "\u{feff}# ours\r\ntable = 'hive'\r\nkey = ['id']\r\ntitle = \"\"\"{tag} / {colour}\"\"\"\r\nlabel.one = \"Hive\"\r\nlabel.many = \"Hives\"\r\n\r\n[field]\r\n\
        id = { column = \"id\", kind = \"number\", read_only = true }\r\ntag = { column = 'tag', kind = \"text\", required = true, max_length = 12 }   # burnt in\r\n\
        colour.column = \"colour\"   # paint\r\ncolour.kind = \"text\"\r\ncolour.max_length = 0x14\r\nbuilt = {column=\"built\",kind=\"date\"}\r\n\r\n[page]\r\n\
        list = { fields = [ \"tag\",\"colour\" , \"built\" ], search = [\"tag\", \"colour\"], filter = [\"built\"], sort = [\"tag\"] }\r\n\
        detail.sections = [{title=\"Hive\",fields=[\"tag\",\"colour\",\"built\"]}]\r\n\r\n  [page.add]\r\n  fields = [\"colour\",\r\n    \"tag\"]\r\n\r\n\
        [access]\r\neveryone = { read = true, add = true, edit = true, delete = true, rows = 'colour <> \"tag\" OR built IS NULL' }";
    project.write("app/hive.toml", text);
    project.expect(0, &["check"]);
    let before = project.definition();
    for (there, back, answers) in [
        (
            "ALTER TABLE hive RENAME COLUMN colour TO \"paint \"\"job\"\"\"",
            "ALTER TABLE hive RENAME COLUMN \"paint \"\"job\"\"\" TO colour",
            vec![("rename/hive.colour", "paint \"job\"")],
        ),
        ("ALTER TABLE hive DROP COLUMN colour", "ALTER TABLE hive ADD COLUMN colour VARCHAR(20)", vec![]),
        ("ALTER TABLE hive ADD COLUMN weight INTEGER", "ALTER TABLE hive DROP COLUMN weight", vec![("new-field/hive.weight", "append")]),
        ("ALTER TABLE hive RENAME TO box", "ALTER TABLE box RENAME TO hive", vec![("rename/hive", "box")]),
    ] {
        project.sql(there);
        let answers: Vec<(&str, &str)> = answers.into_iter().filter(|(q, _)| project.run(&["decide", "--list"]).out.contains(q)).collect();
        project.merge(&answers);
        assert_ne!(project.definition(), before, "{there}");
        project.expect(0, &["check"]);
        project.sql(back);
        project.merge(&[]);
        project.same_definition(&before);
    }
}
