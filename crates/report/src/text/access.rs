//! Who may see and do what: the verdict first, then a line a role.

use super::style::{bad, bold, dim, good, hint, padded, wrapped};
use crate::Report;
use crate::wording::plural;
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::access::{Access, Rights};
use ysomorph_core::name::shown;

/// The report of `access`.
pub fn access(report: &Report) -> String {
    if report.access.is_empty() {
        return "Nobody is restricted: the application has no roles, and everybody may see and do everything.\n".to_owned();
    }
    let mut entities: BTreeMap<&str, Vec<&Access>> = BTreeMap::new();
    for one in &report.access {
        entities.entry(&one.entity).or_default().push(one);
    }
    let width = report.access.iter().map(|a| shown(&a.role).width()).max().unwrap_or(0).min(24);
    let mut out = verdict(report, entities.len());
    for (entity, roles) in entities {
        out.push_str(&format!("\n{}\n", bold(shown(entity))));
        roles.iter().for_each(|one| out.push_str(&role(one, width)));
    }
    if report.access.iter().any(|a| a.after.is_some() && a.after != a.before) {
        out.push_str(&format!("\n{}\n", hint("ysomorph merge   (shows what it would write)")));
    }
    out
}

fn verdict(report: &Report, entities: usize) -> String {
    let wider = report.access.iter().filter(|a| !a.wider.is_empty()).count();
    let narrower = report.access.iter().filter(|a| !a.narrower.is_empty()).count();
    let size = plural(entities, "entity", "entities");
    let compares = report.access.iter().any(|a| a.after.is_some());
    match (compares, wider, narrower) {
        (false, ..) => format!("Rights to {size}, as the definition is now.\n"),
        (true, 0, 0) => format!("The merge gives nobody more and nobody less, on {size}.\n"),
        (true, 0, n) => {
            format!("The merge gives nobody more on {size}; {} less.\n", plural(n, "role of an entity may do", "roles of entities may do"))
        }
        (true, n, _) => format!(
            "{}\n",
            bad(format!("After the merge {} more than before.", plural(n, "role of an entity may do", "roles of entities may do")))
        ),
    }
}

fn role(one: &Access, width: usize) -> String {
    let name = padded(&shown(&one.role), width);
    let rights = one.before.as_ref().or(one.after.as_ref());
    let mut lines: Vec<String> = rights.map(told).unwrap_or_default();
    match (&one.before, &one.after) {
        (None, Some(_)) => lines.insert(0, good("new after the merge")),
        (Some(_), None) if !one.wider.is_empty() || !one.narrower.is_empty() => {}
        (Some(before), Some(after)) if !is_same(before, after) => {
            lines.extend(
                told(after)
                    .first()
                    .map(|line| format!("after the merge: {line}"))
                    .filter(|_| before.records != after.records || before.actions != after.actions),
            );
            let newly = |what: &str, old: &[String], new: &[String]| {
                let more: Vec<String> = new.iter().filter(|f| !old.contains(f)).map(|f| shown(f)).collect();
                (!more.is_empty()).then(|| format!("after the merge also {what}: {}", more.join(", ")))
            };
            lines.extend(newly("hidden", &before.hidden, &after.hidden));
            lines.extend(newly("read-only", &before.read_only, &after.read_only));
        }
        _ => {}
    }
    lines.extend((!one.wider.is_empty()).then(|| bad(format!("wider: {}", shown(&one.wider.join("; "))))));
    lines.extend((!one.narrower.is_empty()).then(|| dim(format!("no longer {}", shown(&one.narrower.join("; "))))));
    let indent = width + 4;
    let mut out = String::new();
    for (at, line) in lines.iter().enumerate() {
        let lead = if at == 0 { format!("  {name}  ") } else { " ".repeat(indent) };
        out.push_str(&format!("{lead}{}\n", wrapped(line, indent, indent + 2)));
    }
    out
}

/// Whether nothing of it differs that is told.
fn is_same(before: &Rights, after: &Rights) -> bool {
    (&before.records, &before.actions, &before.hidden, &before.read_only)
        == (&after.records, &after.actions, &after.hidden, &after.read_only)
}

/// `all records; add, edit` and what is hidden or only read.
fn told(rights: &Rights) -> Vec<String> {
    use ysomorph_core::access::Records;
    let records = match &rights.records {
        Records::None => "no records".to_owned(),
        Records::All => "all records".to_owned(),
        records => format!("records {}", shown(&records.words())),
    };
    let actions = if rights.actions.is_empty() { String::new() } else { format!("; {}", rights.actions.join(", ")) };
    let mut lines = vec![format!("{records}{actions}")];
    for (what, fields) in [("hidden", &rights.hidden), ("read-only", &rights.read_only)] {
        if !fields.is_empty() {
            lines.push(format!("{what}: {}", shown(&fields.join(", "))));
        }
    }
    lines
}
