//! Every format is read back by something that didn't write it.

use crate::support::Project;
use calamine::{Reader, Xlsx};
use serde_json::Value;
use std::io::Cursor;

/// The published schema of the standard.
const SARIF: &str = include_str!("../schemas/sarif-2.1.0.json");

/// Names that mean something to some format.
pub const HOSTILE: &str = r#"CREATE TABLE "=cmd|' /C calc'!A1" (id INTEGER PRIMARY KEY, "<img src=x onerror=alert(1)>" TEXT, "a|b`c" TEXT, "@everybody" TEXT);
CREATE TABLE note (id INTEGER PRIMARY KEY, "</script><script>boom()</script>" TEXT, "{{x}}" TEXT, plain TEXT)"#;

/// What becomes of them.
pub const LOST: &str = r#"ALTER TABLE "=cmd|' /C calc'!A1" DROP COLUMN "<img src=x onerror=alert(1)>";
ALTER TABLE note DROP COLUMN "</script><script>boom()</script>"; ALTER TABLE note DROP COLUMN plain"#;

fn changed(sql: &str, change: &str) -> Project {
    let project = Project::new(sql);
    project.sql(change);
    project
}

fn json(project: &Project, command: &str) -> Value {
    serde_json::from_str(&project.run(&[command, "--format", "json"]).out).unwrap()
}

fn count(value: &Value, list: &str) -> usize {
    value[list].as_array().map_or(0, Vec::len)
}

#[test]
fn sarif_is_what_the_standard_says() {
    let validator = jsonschema::validator_for(&serde_json::from_str(SARIF).unwrap()).unwrap();
    let demo = Project::demo(None);
    demo.change_demo(None);
    for project in [demo, changed(HOSTILE, LOST)] {
        for command in ["impact", "check", "rehearse"] {
            let log: Value = serde_json::from_str(&project.run(&[command, "--format", "sarif"]).out).unwrap();
            let errors: Vec<String> = validator.iter_errors(&log).map(|e| format!("{} at {}", e, e.instance_path())).collect();
            assert!(errors.is_empty(), "{command}: {errors:#?}");
            let results = log["runs"][0]["results"].as_array().unwrap();
            assert_eq!(results.len(), count(&json(&project, command), "findings"), "{command}");
            for result in results {
                let rule = &log["runs"][0]["tool"]["driver"]["rules"][result["ruleIndex"].as_u64().unwrap() as usize];
                assert_eq!(rule["id"], result["ruleId"]);
            }
            let prints: Vec<&str> = results.iter().filter_map(|r| r["partialFingerprints"]["finding/v1"].as_str()).collect();
            let mut once = prints.clone();
            once.sort_unstable();
            once.dedup();
            assert_eq!(once.len(), prints.len(), "{command}: two findings have the same fingerprint");
        }
    }
}

#[test]
fn a_fingerprint_survives_moved_lines() {
    let project = changed("CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT, colour TEXT)", "ALTER TABLE hive DROP COLUMN tag");
    let prints = || {
        let log: Value = serde_json::from_str(&project.run(&["impact", "--format", "sarif"]).out).unwrap();
        let results = log["runs"][0]["results"].as_array().unwrap().clone();
        let line = |r: &Value| r["locations"][0]["physicalLocation"]["region"]["startLine"].as_u64().unwrap_or(0);
        let lines: u64 = results.iter().map(line).sum();
        (lines, results.iter().map(|r| r["partialFingerprints"].to_string()).collect::<Vec<_>>())
    };
    let (lines, before) = prints();
    let text = project.read("app/hive.toml");
    project.write("app/hive.toml", &format!("# Hives\n\n{text}"));
    let (moved, after) = prints();
    assert!(moved > lines && before == after, "{before:?}\n{after:?}");
}

#[test]
fn lines_of_json_hold_what_the_json_holds() {
    let project = changed(HOSTILE, LOST);
    for (command, list, what) in [("impact", "findings", "finding"), ("changes", "changes", "change"), ("merge", "set_aside", "set-aside")]
    {
        let text = project.run(&[command, "--format", "jsonl"]).out;
        let lines: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        assert_eq!((&lines[0]["is"], &lines[0]["command"]), (&"report".into(), &command.into()));
        let whole = json(&project, command);
        let of: Vec<&Value> = lines.iter().filter(|l| l["is"] == what).collect();
        assert!(!of.is_empty() && of.len() == count(&whole, list), "{command}: {}", of.len());
    }
}

#[test]
fn lists_read_back_as_a_spreadsheet_and_no_cell_is_a_formula() {
    let project = changed(HOSTILE, LOST);
    let whole = json(&project, "impact");
    let text = project.run(&["impact", "--format", "csv"]).out;
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let rows: Vec<csv::StringRecord> = reader.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), count(&whole, "findings"));
    assert!(rows.iter().flatten().all(|cell| !cell.starts_with(['=', '+', '-', '@'])), "{text}");
    let file = project.path("out.xlsx");
    project.run(&["impact", "--format", "xlsx", "--output", file.to_str().unwrap()]);
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(std::fs::read(&file).unwrap())).unwrap();
    for (sheet, list) in [("findings", "findings"), ("changes", "changes")] {
        let range = book.worksheet_range(sheet).unwrap();
        assert_eq!(range.height(), count(&whole, list) + 1, "{sheet}");
        let formulas = book.worksheet_formula(sheet).unwrap();
        assert!(formulas.used_cells().next().is_none(), "{sheet}");
    }
    // The table's own name is there, whatever it looks like.
    let changes = book.worksheet_range("changes").unwrap();
    assert!(changes.rows().any(|row| row[1].to_string().starts_with("=cmd|")), "{:?}", changes.rows().collect::<Vec<_>>());
    // Standard output takes it too, whole.
    for command in ["changes", "merge", "check", "custom", "access"] {
        assert_ne!(project.run(&[command, "--format", "csv"]).code, 2, "{command}");
    }
}

#[test]
fn a_comment_is_short_enough_and_mentions_nobody() {
    let demo = Project::demo(None);
    demo.change_demo(None);
    let text = demo.run(&["impact", "--format", "markdown"]).out;
    assert!(text.starts_with("**69 breaks, 16 risks, 11 notes, by 18 changes: 43 of 53 pages can't work.**"), "{text}");
    assert!(
        text.contains("| break | colony.queen\\_mark: column dropped | 16 |")
            && text.contains("<details><summary>keeper.postcode → postal_code"),
        "{text}"
    );
    let text = changed(HOSTILE, LOST).run(&["impact", "--format", "markdown"]).out;
    let plain = text.replace("<details>", "").replace("</details>", "").replace("<summary>", "").replace("</summary>", "");
    assert!(!plain.contains('<') && !plain.contains('@'), "{text}");
    // Two thousand lost columns don't fit.
    let columns: Vec<String> = (0..1_500).map(|n| format!("a_rather_long_name_of_a_column_{n} TEXT")).collect();
    let project = Project::new(&format!("CREATE TABLE wide (id INTEGER PRIMARY KEY, {})", columns.join(", ")));
    project.sql("CREATE TABLE other (id INTEGER PRIMARY KEY); DROP TABLE wide");
    let text = project.run(&["changes", "--format", "markdown"]).out;
    assert!(text.chars().count() <= 65_536, "{}", text.chars().count());
}

#[test]
fn a_command_says_which_formats_it_has() {
    let project = Project::new("CREATE TABLE hive (id INTEGER PRIMARY KEY)");
    for (arguments, said) in [
        (["changes", "--format", "sarif"], "this command has no sarif result"),
        (["custom", "--format", "html"], "it has: text, json, jsonl, csv, xlsx"),
        (["history", "--format", "csv"], "it has: text, json"),
    ] {
        let ran = project.run(&arguments);
        assert!(ran.code == 2 && ran.err.contains(said), "{arguments:?}: {} {}", ran.code, ran.err);
    }
}

#[test]
fn many_databases_are_told_by_finding_and_one_out_of_reach_spoils_nothing() {
    let schema = "CREATE TABLE hive (id INTEGER PRIMARY KEY, tag TEXT NOT NULL, colour TEXT);";
    let project = Project::new(schema);
    let mut list = String::from("# one a line\n");
    for at in 0..20 {
        let file = project.path(&format!("site{at}.db"));
        list.push_str(&format!("site {at}  sqlite:{}\n", file.display()));
        let change = match at {
            0..=2 => "ALTER TABLE hive DROP COLUMN tag",
            3 => continue,
            _ => "",
        };
        rusqlite::Connection::open(file).unwrap().execute_batch(&format!("{schema}{change}")).unwrap();
    }
    project.write("list", &list);
    let path = project.path("list");
    let ran = project.run(&["impact", "--changed-list", path.to_str().unwrap()]);
    let said = ran.out.split_whitespace().collect::<Vec<_>>().join(" ");
    let outcome = "20 databases: the definition works on 16, needs a merge or an edit on 3, couldn't be tried on 1.";
    assert!(ran.code == 2 && said.starts_with(outcome), "{}", ran.out);
    assert!(said.contains("on site 0, site 1, site 2") && said.contains("site 3 cannot open the database"), "{}", ran.out);
    let told: Value =
        serde_json::from_str(&project.run(&["impact", "--changed-list", path.to_str().unwrap(), "--format", "json"]).out).unwrap();
    let schema: Value = serde_json::from_str(&ysomorph_report::several_schema()).unwrap();
    crate::support::published("schema/several.json", &ysomorph_report::several_schema());
    let validator = jsonschema::validator_for(&schema).unwrap();
    assert!(validator.is_valid(&told), "{:?}", validator.iter_errors(&told).map(|e| e.to_string()).collect::<Vec<_>>());
    assert!(told["findings"].as_array().unwrap().iter().all(|f| f["databases"] == serde_json::json!(["site 0", "site 1", "site 2"])));
    every_face_of_many(&project, path.to_str().unwrap());
    // Those that agree are fine, and several on the command line are the same.
    let (four, five) = (format!("sqlite:{}", project.path("site4.db").display()), format!("sqlite:{}", project.path("site5.db").display()));
    let both = project.expect(0, &["impact", "--changed", &four, "--changed", &five]);
    assert!(both.contains("2 databases: the definition works on 2."), "{both}");
    let refused = project.run(&["merge", "--changed", &four, "--changed", &five]);
    assert!(refused.code == 2 && refused.err.contains("only impact looks at several databases"), "{}", refused.err);
}

/// Each other format tells the same of them.
fn every_face_of_many(project: &Project, list: &str) {
    let face = |format: &str| project.run(&["impact", "--changed-list", list, "--format", format]).out;
    let whole: Value = serde_json::from_str(&face("json")).unwrap();
    let lines: Vec<Value> = face("jsonl").lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let is = |what: &str| lines.iter().filter(|line| line["is"] == what).count();
    assert_eq!((is("report"), is("database"), is("finding")), (1, 20, count(&whole, "findings")));
    let text = face("csv");
    let rows: Vec<csv::StringRecord> = csv::Reader::from_reader(text.as_bytes()).records().map(Result::unwrap).collect();
    let of = |state: &str| rows.iter().filter(|row| &row[1] == state).count();
    assert_eq!((of("works"), of("needs a merge or an edit"), of("couldn't be tried")), (16, 3, 1), "{text}");
    let file = project.path("many.xlsx");
    project.run(&["impact", "--changed-list", list, "--format", "xlsx", "--output", file.to_str().unwrap()]);
    let mut book: Xlsx<_> = Xlsx::new(Cursor::new(std::fs::read(&file).unwrap())).unwrap();
    assert_eq!(book.worksheet_range("databases").unwrap().height(), 21);
    let findings = book.worksheet_range("findings").unwrap();
    assert_eq!(findings.height(), count(&whole, "findings") + 1);
    assert!(findings.rows().skip(1).all(|row| *row.last().unwrap() == "site 0, site 1, site 2"));
    let log: Value = serde_json::from_str(&face("sarif")).unwrap();
    assert!(jsonschema::validator_for(&serde_json::from_str(SARIF).unwrap()).unwrap().is_valid(&log));
    assert_eq!(log["runs"][0]["results"][0]["properties"]["databases"], serde_json::json!(["site 0", "site 1", "site 2"]));
    let junit = face("junit");
    assert!(junit.contains("tests=\"20\" failures=\"3\" errors=\"1\""), "{junit}");
    let comment = face("markdown");
    assert!(
        comment.starts_with("**20 databases: the definition works on 16, ") && comment.contains("| site 3 | couldn't be tried |"),
        "{comment}"
    );
    assert!(comment.contains("`, on site 0, site 1, site 2\n"), "{comment}");
    let page = face("html");
    assert!(page.contains("<option>site 2</option>") && !page.contains("<option>site 4</option>"), "{page}");
    assert!(page.contains("On site 0, site 1, site 2.") && page.contains("site 19"), "{page}");
    let refused = project.run(&["impact", "--changed-list", list, "--format", "html", "--sample"]);
    assert!(refused.code == 2 && refused.err.contains("--sample"), "{}", refused.err);
}

#[test]
fn records_stand_in_a_reports_pictures_only_where_they_are_asked_for_and_are_only_text() {
    let project = Project::demo(None);
    project.change_demo(None);
    project.sql("UPDATE queen_strain SET name = '<script>alert(1)</script>' WHERE id = (SELECT min(strain_id) FROM colony)");
    project.edit("app/colony.toml", "[field.strength]", "[field.strength]\nsensitive = true");
    project.sql("UPDATE colony SET strength = 424242");
    let report = |arguments: &[&str]| {
        let file = project.path("sampled.html");
        project.run(&[&["impact", "--format", "html", "--output", file.to_str().unwrap()], arguments].concat());
        std::fs::read_to_string(file).unwrap()
    };
    let (plain, sampled) = (report(&[]), report(&["--sample"]));
    assert!(!plain.contains("alert(1)") && plain.contains("Grey bars stand for records"));
    assert!(sampled.contains("•••") && !sampled.contains("424242"), "what is sensitive isn't sent on");
    assert!(sampled.contains("&lt;script&gt;alert(1)&lt;/script&gt;") && !sampled.contains("<script>alert(1)"), "as text");
    assert!(
        sampled.contains("The records are the database's.")
            && sampled.matches("class=\"stub\"").count() < plain.matches("class=\"stub\"").count()
    );
    let refused = project.expect(2, &["impact", "--sample"]);
    assert!(refused.contains("--format html"), "{refused}");
}
