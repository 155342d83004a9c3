//! A report as lines of JSON: the first says what it is, each other one thing.

use crate::json::json_line;
use crate::{Report, Several};
use serde_json::{Value, json};

/// A report, one JSON object a line. `is` tells what a line holds.
pub fn to_jsonl(report: &Report) -> String {
    let lists = [
        ("changes", "change"),
        ("findings", "finding"),
        ("questions", "question"),
        ("edits", "edit"),
        ("kept", "customisation"),
        ("set_aside", "set-aside"),
        ("restored", "put-back"),
        ("superseded", "gave-way"),
        ("follow_ups", "follow-up"),
        ("open_follow_ups", "open-follow-up"),
        ("access", "access"),
        ("drawn", "page"),
    ];
    written(serde_json::to_value(report).unwrap_or_default(), &lists)
}

/// What was found on several databases likewise.
pub fn several_jsonl(several: &Several) -> String {
    written(serde_json::to_value(several).unwrap_or_default(), &[("databases", "database"), ("findings", "finding")])
}

/// A value without these lists, and then what is in each.
fn written(mut whole: Value, lists: &[(&str, &str)]) -> String {
    let Some(fields) = whole.as_object_mut() else { return String::new() };
    let mut lines = Vec::new();
    for (list, what) in lists {
        let Some(Value::Array(items)) = fields.shift_remove(*list) else { continue };
        lines.extend(items.into_iter().map(|item| labelled(what, item)));
    }
    let mut out = json_line(&labelled("report", whole));
    lines.iter().for_each(|line| out.push_str(&json_line(line)));
    out
}

fn labelled(what: &str, item: Value) -> Value {
    let mut line = json!({ "is": what });
    if let (Some(line), Value::Object(fields)) = (line.as_object_mut(), item) {
        line.extend(fields);
    }
    line
}
