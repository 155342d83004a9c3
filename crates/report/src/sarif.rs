//! Findings in the Static Analysis Results Interchange Format 2.1.0 (an OASIS standard), for code hosts and editors.

use crate::{Report, Several};
use serde::Serialize;
use serde_json::{Map, Value, json};
use std::collections::BTreeMap;
use ysomorph_core::impact::{Finding, RULES, Severity};
use ysomorph_core::name::shown;

/// Where the standard's schema is published.
const SCHEMA: &str = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

#[derive(Serialize)]
struct Log {
    #[serde(rename = "$schema")]
    schema: &'static str,
    version: &'static str,
    runs: [Run; 1],
}

#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Run {
    tool: Value,
    /// Characters are counted as Unicode's, as in the text.
    column_kind: &'static str,
    original_uri_base_ids: Value,
    results: Vec<Value>,
}

/// A report's findings as SARIF.
pub fn to_sarif(report: &Report) -> String {
    written(&report.findings.iter().flatten().map(|finding| (finding, [].as_slice())).collect::<Vec<_>>())
}

/// What was found on several databases likewise; each result names those that have it.
pub fn several_sarif(several: &Several) -> String {
    written(&several.findings.iter().map(|shared| (&shared.finding, shared.databases.as_slice())).collect::<Vec<_>>())
}

/// Findings, each with the databases that have it where there are several.
fn written(findings: &[(&Finding, &[String])]) -> String {
    // Only rules that found something: a reader looks them up by their place.
    let mut places: BTreeMap<&str, usize> = BTreeMap::new();
    for (finding, _) in findings {
        let next = places.len();
        places.entry(finding.rule).or_insert(next);
    }
    let mut named: Vec<(&str, usize)> = places.iter().map(|(name, at)| (*name, *at)).collect();
    named.sort_by_key(|(_, at)| *at);
    let mut seen: BTreeMap<String, usize> = BTreeMap::new();
    let results = findings.iter().map(|(finding, databases)| result(finding, databases, &places, &mut seen)).collect();
    let driver = json!({
        "name": "ysomorph",
        "semanticVersion": env!("CARGO_PKG_VERSION"),
        "rules": named.iter().map(|(name, _)| rule(name)).collect::<Vec<_>>(),
    });
    let log = Log {
        schema: SCHEMA,
        version: "2.1.0",
        runs: [Run {
            tool: json!({ "driver": driver }),
            column_kind: "unicodeCodePoints",
            original_uri_base_ids: json!({ "WORKSPACE": { "description": { "text": "The folder of ysomorph.toml" } } }),
            results,
        }],
    };
    crate::json::json(&log)
}

fn level(severity: Severity) -> &'static str {
    match severity {
        Severity::Break => "error",
        Severity::Risk => "warning",
        Severity::Note => "note",
    }
}

fn rule(name: &str) -> Value {
    let Some(rule) = RULES.iter().find(|rule| rule.name == name) else { return json!({ "id": name }) };
    let docs = rule.docs;
    json!({
        "id": name,
        "shortDescription": { "text": docs.detects },
        "fullDescription": { "text": format!("{} {}", docs.detects, docs.matters) },
        "help": { "text": docs.to_do },
        "defaultConfiguration": { "level": level(rule.severity) },
    })
}

fn result(finding: &Finding, databases: &[String], places: &BTreeMap<&str, usize>, seen: &mut BTreeMap<String, usize>) -> Value {
    let text = |text: &Option<String>| shown(text.as_deref().unwrap_or_default());
    let mut message = shown(&finding.message);
    if !finding.help.is_empty() {
        message.push_str(&format!(". {}", shown(&finding.help)));
    }
    let mut result = Map::new();
    result.insert("ruleId".to_owned(), finding.rule.into());
    result.insert("ruleIndex".to_owned(), places.get(finding.rule).copied().unwrap_or_default().into());
    result.insert("level".to_owned(), level(finding.severity).into());
    result.insert("message".to_owned(), json!({ "text": message }));
    let pages = finding.pages.iter().map(|page| json!({ "fullyQualifiedName": format!("{}/{}", text(&finding.entity), shown(page)) }));
    let mut location = Map::new();
    if let Some(at) = &finding.at {
        location.insert(
            "physicalLocation".to_owned(),
            json!({
                "artifactLocation": { "uri": uri(&at.file), "uriBaseId": "WORKSPACE" },
                "region": { "startLine": at.line.max(1), "startColumn": at.column.max(1) },
            }),
        );
    }
    let pages: Vec<Value> = pages.collect();
    if !pages.is_empty() {
        location.insert("logicalLocations".to_owned(), pages.into());
    }
    if !location.is_empty() {
        result.insert("locations".to_owned(), json!([location]));
    }
    // By what it is about, not by its line or its counts, which move; two of the same are told apart by their order.
    let file = finding.at.as_ref().map(|at| shown(&at.file)).unwrap_or_default();
    let culprit = text(&finding.culprit);
    let identity = [finding.rule, &text(&finding.entity), &text(&finding.field), &text(&finding.role), &file, &culprit].join("|");
    let number = seen.entry(identity.clone()).and_modify(|n| *n += 1).or_insert(0);
    result.insert("partialFingerprints".to_owned(), json!({ "finding/v1": format!("{identity}|{number}") }));
    if !databases.is_empty() {
        result.insert("properties".to_owned(), json!({ "databases": databases.iter().map(|name| shown(name)).collect::<Vec<_>>() }));
    }
    Value::Object(result)
}

/// A path as a relative URI reference.
fn uri(path: &str) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path.bytes() {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' | b'/' => out.push(char::from(byte)),
            other => out.push_str(&format!("%{other:02X}")),
        }
    }
    out
}
