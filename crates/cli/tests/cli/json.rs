//! JSON output validates against the JSON Schema that is published with the program.

use crate::support::{Project, published};
use ysomorph_core::definition::{APP, ENTITY, Shape, WORKSPACE, json_schema};

/// The kinds of files people write, and what they are called.
const FILES: [(&str, &str, &Shape); 3] =
    [("workspace", "ysomorph.toml", &WORKSPACE), ("app", "app/app.toml", &APP), ("entity", "app/NAME.toml", &ENTITY)];

#[test]
fn the_published_schema_is_the_programs_own_and_every_report_validates() {
    let schema = ysomorph_report::schema();
    published("schema/report.json", &schema);
    published("schema/snapshot.json", &ysomorph_core::schema::snapshot_schema());
    let text = |schema: &serde_json::Value| serde_json::to_string_pretty(schema).unwrap() + "\n";
    for (file, title, shape) in FILES {
        published(&format!("schema/{file}.json"), &text(&json_schema(title, shape)));
    }
    let validator = jsonschema::validator_for(&serde_json::from_str(&schema).unwrap()).unwrap();
    let project = Project::new(
        "CREATE TABLE a (id INTEGER PRIMARY KEY, name TEXT NOT NULL, old TEXT); CREATE TABLE b (id INTEGER PRIMARY KEY, a_id INTEGER REFERENCES a (id));",
    );
    project.edit("app/a.toml", "column = \"old\"", "column = \"old\"\nlabel = \"Was\"");
    project.sql("ALTER TABLE a RENAME COLUMN old TO older; CREATE TABLE c (x TEXT)");
    for (code, command) in [(1, "changes"), (1, "impact"), (1, "decide"), (1, "merge"), (0, "check"), (1, "rehearse"), (0, "custom")] {
        let ran = project.run(&[command, "--format", "json"]);
        assert_eq!(ran.code, code, "{command}: {}{}", ran.out, ran.err);
        let value: serde_json::Value = serde_json::from_str(&ran.out).unwrap();
        let errors: Vec<String> = validator.iter_errors(&value).map(|e| e.to_string()).collect();
        assert!(errors.is_empty() && value["command"] == command && value["format"] == 1, "{command}: {errors:?}");
    }
    let shown: serde_json::Value = serde_json::from_str(&project.expect(0, &["show", "a", "--format", "json"])).unwrap();
    assert!(validator.is_valid(&shown) && shown["drawn"][0]["page"]["layout"] == "rows", "{shown}");
    let impact: serde_json::Value = serde_json::from_str(&project.run(&["impact", "--format", "json"]).out).unwrap();
    let finding = impact["findings"].as_array().unwrap().iter().find(|f| f["rule"] == "page/column-missing").unwrap();
    assert_eq!(
        (&finding["entity"], &finding["field"], &finding["at"]["file"], &finding["remedy"]),
        (&"a".into(), &"old".into(), &"app/a.toml".into(), &"ask".into())
    );
    assert_eq!(impact["changes"][finding["cause"].as_u64().unwrap() as usize]["to"], "older");
    // Written to a file, without colours.
    let file = project.path("out.json");
    project.expect(1, &["changes", "--format", "json", "--output", file.to_str().unwrap(), "--color", "always"]);
    assert!(serde_json::from_str::<serde_json::Value>(&std::fs::read_to_string(file).unwrap()).is_ok());
}
