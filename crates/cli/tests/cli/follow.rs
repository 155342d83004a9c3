//! `field_names = "follow"`: a field takes its column's new name everywhere, and has its old one again when the column does.

use crate::support::Project;

const SQL: &str = "CREATE TABLE region (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
    CREATE TABLE keeper (id INTEGER PRIMARY KEY, name TEXT NOT NULL, postcode VARCHAR(8), nick TEXT, phone VARCHAR(20), region_id INTEGER REFERENCES region (id));
    CREATE TABLE hive (id INTEGER PRIMARY KEY, tag VARCHAR(12) NOT NULL UNIQUE, keeper_id INTEGER REFERENCES keeper (id))";

/// Every kind of mention of `postcode`, in every spelling.
fn mentioned() -> Project {
    let project = Project::new(SQL);
    project.edit("ysomorph.toml", "[merge]", "[merge]\nfield_names = \"follow\"");
    project.edit("app/keeper.toml", "title = \"{name}\"", "title = \"{name} {postcode}\"");
    project.edit("app/keeper.toml", "[field.postcode]", "# for the post round\n[field.\"postcode\"]   # here");
    project.edit("app/keeper.toml", "[field.nick]\ncolumn = \"nick\"", "[field.alias]\ncolumn = \"nick\"");
    for file in ["app/keeper.toml", "app/region.toml"] {
        let text = project.read(file).replace("\"nick\"", "\"alias\"").replace("column = \"alias\"", "column = \"nick\"");
        project.write(file, &text);
    }
    project.edit("app/hive.toml", "kind = \"lookup\"", "kind = \"lookup\"\nlookup.show = '{name}, {postcode}' # by hand");
    project.edit("app/hive.toml", "lookup = { entity = \"keeper\" }", "lookup.entity = \"keeper\"");
    project.append(
        "app/keeper.toml",
        "\n[source]\nupdate = { sql = \"UPDATE keeper SET postcode = :postcode, phone = :phone WHERE id = :key_id\" }\n
[outward]\nname = \"keepers\"\nfields = { 'postcode' = \"zip\", phone = \"tel\" }\nhide = [\"alias\"]\n
[export.post]\nfields = [\n  \"postcode\", # first\n  \"phone\",\n]\nformats = [\"csv\"]\n
[import.sheet]\nkey = [\"id\"]\ncolumns = { \"Post\" = \"postcode\", \"Name\" = \"name\" }\n",
    );
    project.write(
        "app/labels.de.po",
        "msgid \"\"\nmsgstr \"\"\n\nmsgctxt \"keeper/field/postcode/label\"\nmsgid \"Postcode\"\nmsgstr \"Leitzahl\"\n\nmsgctxt \"keeper/field/phone/label\"\nmsgid \"Phone\"\nmsgstr \"Telefon\"\n",
    );
    project.expect(0, &["check"]);
    project
}

const RENAMED: &str = "ALTER TABLE keeper RENAME COLUMN postcode TO postal_code";

#[test]
fn every_mention_follows_and_comes_back_to_the_byte() {
    let project = mentioned();
    let before = project.definition();
    project.sql(RENAMED);
    project.expect(0, &["decide", "rename/keeper.postcode", "postal_code"]);
    let said = project.expect(1, &["merge", "--format", "json"]);
    assert!(said.contains("field postcode is postal_code now, as its column"), "{said}");
    project.merge(&[]);
    let (keeper, hive, po) = (project.read("app/keeper.toml"), project.read("app/hive.toml"), project.read("app/labels.de.po"));
    for expected in [
        "title = \"{name} {postal_code}\"",
        "# for the post round\n[field.\"postal_code\"]   # here\ncolumn = \"postal_code\"",
        "SET postal_code = :postal_code, phone",
        "fields = { 'postal_code' = \"zip\", phone = \"tel\" }",
        "  \"postal_code\", # first\n",
        "columns = { \"Post\" = \"postal_code\", ",
        "[field.alias]\ncolumn = \"nick\"",
    ] {
        assert!(keeper.contains(expected), "{expected}\n{keeper}");
    }
    assert!(!keeper.contains("postcode") && hive.contains("lookup.show = '{name}, {postal_code}' # by hand"), "{keeper}\n{hive}");
    assert!(
        po.contains("msgctxt \"keeper/field/postal_code/label\"\nmsgid \"Postal code\"\nmsgstr \"Leitzahl\"") && po.contains("fuzzy"),
        "{po}"
    );
    project.expect(0, &["check"]);
    // A lookup follows by its column's stem; what a person named otherwise than its column never does.
    project.sql("ALTER TABLE keeper RENAME COLUMN nick TO handle; ALTER TABLE keeper RENAME COLUMN region_id TO area_id");
    project.merge(&[("rename/keeper.nick", "handle"), ("rename/keeper.region_id", "area_id")]);
    assert!(project.read("app/keeper.toml").contains("[field.alias]\ncolumn = \"handle\""));
    assert!(project.read("app/keeper.toml").contains("[field.area]\ncolumn = \"area_id\""));
    for back in ["handle TO nick", "area_id TO region_id", "postal_code TO postcode"] {
        project.sql(&format!("ALTER TABLE keeper RENAME COLUMN {back}"));
    }
    project.merge(&[]);
    project.same_definition(&before);
}

/// A key that a person quoted stays quoted; a bare one has quotes only as long as its name needs them.
#[test]
fn keys_keep_their_spelling_through_a_name_that_needs_quotes() {
    let project = Project::new(SQL);
    project.edit("ysomorph.toml", "[merge]", "[merge]\nfield_names = \"follow\"");
    project.edit("app/keeper.toml", "[field.postcode]", "[field.\"postcode\"]   # quoted");
    project.append("app/keeper.toml", "\n[outward]\nname = \"keepers\"\nfields = { postcode = \"zip\" }\n");
    let before = project.definition();
    project.sql("ALTER TABLE keeper RENAME COLUMN postcode TO \"größe\"");
    project.merge(&[("rename/keeper.postcode", "größe")]);
    let keeper = project.read("app/keeper.toml");
    assert!(keeper.contains("[field.\"größe\"]   # quoted") && keeper.contains("fields = { 'größe' = \"zip\" }"), "{keeper}");
    project.sql("ALTER TABLE keeper RENAME COLUMN \"größe\" TO postcode");
    project.merge(&[]);
    project.same_definition(&before);
}

/// What is set aside is renamed where it waits, and what took the old name meanwhile gives it up.
#[test]
fn what_is_set_aside_follows_too() {
    let project = mentioned();
    // SQL that is kept although what it names is gone is a person's to fix.
    project.edit("app/keeper.toml", ", phone = :phone WHERE", " WHERE");
    project.append("app/keeper.toml", "\n[check.reach]\nrule = \"phone IS NOT NULL OR postcode IS NOT NULL\"\nmessage = \"How?\"\n");
    let before = project.definition();
    project.sql("ALTER TABLE keeper DROP COLUMN phone");
    project.merge(&[]);
    project.sql(RENAMED);
    project.merge(&[("rename/keeper.postcode", "postal_code")]);
    let kept = project.read(".ysomorph/kept/keeper.entity.list");
    assert!(kept.contains("phone IS NOT NULL OR postal_code IS NOT NULL"), "what is hidden speaks the new name: {kept}");
    let texts = kept.lines().filter(|line| line.contains("\"hidden\":true")).map(|line| line.split("\"mark\"").next().unwrap());
    texts.for_each(|text| assert!(!text.contains("postcode"), "{text}"));
    // Dropped under its new name, back under the old one.
    project.sql("ALTER TABLE keeper DROP COLUMN postal_code");
    project.merge(&[]);
    project.sql("ALTER TABLE keeper ADD COLUMN postcode VARCHAR(8)");
    project.merge(&[]);
    assert!(project.read("app/keeper.toml").contains("[field.\"postcode\"]   # here"));
    project.sql("ALTER TABLE keeper ADD COLUMN phone VARCHAR(20)");
    project.merge(&[]);
    project.same_definition(&before);
}

/// Impact speaks of the field as it is; the merge edits it under its new name.
#[test]
fn what_the_merge_does_for_a_field_that_follows_is_told_of_it() {
    let project = Project::new(SQL);
    project.edit("ysomorph.toml", "[merge]", "[merge]\nfield_names = \"follow\"");
    let shorter = SQL.split(';').nth(1).unwrap().replace("phone VARCHAR(20)", "telephone VARCHAR(10)");
    project.sql(&format!("DROP TABLE keeper; {shorter}"));
    project.expect(0, &["decide", "rename/keeper.phone", "telephone"]);
    let told = project.expect(0, &["impact", "--rule", "value/too-long", "--format", "json"]);
    let report: serde_json::Value = serde_json::from_str(&told).unwrap();
    let finding = &report["findings"][0];
    assert_eq!((finding["field"].as_str(), finding["remedy"].as_str()), (Some("phone"), Some("merge")), "{told}");
}

#[test]
fn a_taken_name_stays_and_remote_clients_are_warned() {
    let project = Project::new(SQL);
    project.edit("ysomorph.toml", "[merge]", "[merge]\nfield_names = \"follow\"");
    project.edit("app/keeper.toml", "[field.nick]", "[field.zip]\nkind = \"text\"\nformula = \"upper(name)\"\n\n[field.nick]");
    project.append("app/keeper.toml", "\n[outward]\nname = \"keepers\"\nhide = [\"zip\"]\n");
    let before = project.definition();
    for (column, to, warned) in [("postcode", "zip", false), ("phone", "telephone", true)] {
        project.sql(&format!("ALTER TABLE keeper RENAME COLUMN {column} TO {to}"));
        project.expect(0, &["decide", &format!("rename/keeper.{column}"), to]);
        let said = project.expect(1, &["impact", "--rule", "exchange/outward-changed", "--rule", "page/column-missing"]);
        assert_eq!(said.contains(&format!("remote clients know `{column}`; it would be `{to}`")), warned, "{said}");
        project.merge(&[]);
        assert_eq!(project.read("app/keeper.toml").contains(&format!("[field.{column}]\ncolumn = \"{to}\"")), !warned);
    }
    project.sql("ALTER TABLE keeper RENAME COLUMN zip TO postcode; ALTER TABLE keeper RENAME COLUMN telephone TO phone");
    project.merge(&[]);
    project.same_definition(&before);
}
