//! A report as lists: what spreadsheets and pipelines of lines take.

use crate::wording::described;
use crate::{PartReport, Report};
use ysomorph_core::access::Rights;
use ysomorph_core::impact::Finding;
use ysomorph_core::name::shown;

/// A table of texts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct List {
    /// What is in it, in one word.
    pub name: &'static str,
    /// What each column holds.
    pub columns: Vec<&'static str>,
    /// A text for each column.
    pub rows: Vec<Vec<String>>,
}

/// All lists of a report, what the command is about first.
pub fn lists(report: &Report) -> Vec<List> {
    let all = [findings(report), access(report), changes(report), questions(report), edits(report), parts(report), kept(report)];
    let mut lists: Vec<List> = all.into_iter().flatten().collect();
    let first = match report.command.as_str() {
        "changes" => "changes",
        "merge" | "accept" => "parts",
        "custom" => "customisations",
        _ => "",
    };
    lists.sort_by_key(|list| list.name != first);
    lists
}

/// What is said of a finding.
pub(crate) const FINDING: &[&str] = &["severity", "rule", "entity", "pages", "field", "role", "message", "help", "cause", "file", "line"];

/// A finding as texts, with its cause.
pub(crate) fn of_finding(finding: &Finding, cause: String) -> Vec<String> {
    vec![
        finding.severity.word().to_owned(),
        finding.rule.to_owned(),
        text(finding.entity.as_deref()),
        finding.pages.iter().map(|p| shown(p)).collect::<Vec<_>>().join(", "),
        text(finding.field.as_deref()),
        text(finding.role.as_deref()),
        shown(&finding.message),
        shown(&finding.help),
        cause,
        finding.at.as_ref().map_or_else(String::new, |at| shown(&at.file)),
        finding.at.as_ref().map_or_else(String::new, |at| at.line.to_string()),
    ]
}

fn findings(report: &Report) -> Option<List> {
    let row = |finding: &Finding| {
        let cause = finding.cause.and_then(|at| report.changes.get(at));
        of_finding(finding, cause.map_or_else(String::new, |c| shown(&c.subject())))
    };
    report.findings.as_ref().map(|all| List { name: "findings", columns: FINDING.to_vec(), rows: all.iter().map(row).collect() })
}

fn changes(report: &Report) -> Option<List> {
    let row = |c: &ysomorph_core::changes::Change| {
        let by = c.by.first();
        vec![
            c.kind.name(),
            shown(&c.table),
            text(c.column.as_deref().or(c.object.as_deref())),
            text(c.to.as_deref()),
            text(c.before.as_deref()),
            text(c.after.as_deref()),
            described(c, &report.later).1,
            text(by.and_then(|by| by.who.as_deref())),
            text(by.and_then(|by| by.when.as_deref())),
        ]
    };
    let is_about_changes = !report.changes.is_empty() || report.command == "changes";
    is_about_changes.then(|| List {
        name: "changes",
        columns: vec!["kind", "table", "name", "new name", "before", "after", "in words", "who", "when"],
        rows: report.changes.iter().map(row).collect(),
    })
}

fn questions(report: &Report) -> Option<List> {
    let row = |q: &ysomorph_core::merge::Question| {
        vec![shown(&q.name), q.choices.iter().map(|c| shown(c)).collect::<Vec<_>>().join(" | "), shown(&q.safe), text(q.answer.as_deref())]
    };
    (!report.questions.is_empty()).then(|| List {
        name: "questions",
        columns: vec!["question", "choices", "safe choice", "answer"],
        rows: report.questions.iter().map(row).collect(),
    })
}

fn edits(report: &Report) -> Option<List> {
    report.edits.as_ref().map(|all| List {
        name: "edits",
        columns: vec!["file", "element", "done", "old", "new", "because"],
        rows: all
            .iter()
            .map(|e| {
                vec![shown(&e.file), shown(&e.path), e.action.clone(), value(e.old.as_ref()), value(e.new.as_ref()), shown(&e.because)]
            })
            .collect(),
    })
}

/// What is set aside, put back, left to a person or gave way.
fn parts(report: &Report) -> Option<List> {
    let mut rows = Vec::new();
    let mut add = |what: &str, parts: &[PartReport]| {
        rows.extend(parts.iter().map(|p| vec![what.to_owned(), shown(&p.path), value(p.value.as_ref()), shown(&p.because)]));
    };
    add("set aside", report.set_aside.as_deref().unwrap_or_default());
    add("put back", report.restored.as_deref().unwrap_or_default());
    add("gave way", &report.superseded);
    for left in report.follow_ups.as_deref().unwrap_or_default() {
        rows.push(vec!["left to you".to_owned(), shown(&left.name), String::new(), shown(&left.finding.message)]);
    }
    report.edits.as_ref().map(|_| List { name: "parts", columns: vec!["what", "element", "value", "because"], rows })
}

fn kept(report: &Report) -> Option<List> {
    report.kept.as_ref().map(|all| List {
        name: "customisations",
        columns: vec!["element", "yours", "the draft says", "concerned", "file", "line"],
        rows: all
            .iter()
            .map(|k| {
                let (file, line) = k.at.as_ref().map_or_else(Default::default, |at| (shown(&at.file), at.line.to_string()));
                let concerned = if k.concerned { "yes" } else { "no" };
                vec![shown(&k.path), value(k.yours.as_ref()), value(k.draft.as_ref()), concerned.to_owned(), file, line]
            })
            .collect(),
    })
}

fn access(report: &Report) -> Option<List> {
    let rights = |rights: Option<&Rights>| {
        let list = |names: &[String]| names.iter().map(|n| shown(n)).collect::<Vec<_>>().join(", ");
        rights.map_or_else(
            || vec![String::new(); 4],
            |r| vec![shown(&r.records.words()), r.actions.join(", "), list(&r.hidden), list(&r.read_only)],
        )
    };
    let row = |a: &ysomorph_core::access::Access| {
        let mut row = vec![shown(&a.entity), shown(&a.role)];
        row.extend(rights(a.before.as_ref()));
        row.extend(rights(a.after.as_ref()));
        row.extend([&a.wider, &a.narrower].map(|texts| shown(&texts.join("; "))));
        row
    };
    (!report.access.is_empty()).then(|| List {
        name: "access",
        columns: vec![
            "entity",
            "role",
            "records",
            "actions",
            "hidden",
            "read-only",
            "records after",
            "actions after",
            "hidden after",
            "read-only after",
            "wider",
            "narrower",
        ],
        rows: report.access.iter().map(row).collect(),
    })
}

fn text(text: Option<&str>) -> String {
    shown(text.unwrap_or_default())
}

/// A value in a cell: texts plain, the rest as JSON.
fn value(value: Option<&serde_json::Value>) -> String {
    match value {
        None => String::new(),
        Some(serde_json::Value::String(text)) => shown(text),
        Some(other) => shown(&other.to_string()),
    }
}
