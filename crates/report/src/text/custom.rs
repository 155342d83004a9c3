//! Hand-made customisations, by entity, with what the draft says instead.

use super::merge::unified;
use super::style::{bold, dim, hint, wrapped};
use crate::wording::plural;
use crate::{KeptReport, Report};
use ysomorph_core::name::shown;

/// The report of `custom`.
pub fn custom(report: &Report) -> String {
    let kept = report.kept.as_deref().unwrap_or_default();
    if !report.diffs.is_empty() {
        let path = kept.first().map_or("", |k| k.path.as_str());
        let diffs: String = report.diffs.iter().map(unified).collect();
        return format!("Giving up {} would be this edit; nothing was written.\n\n{diffs}", shown(path));
    }
    if kept.is_empty() {
        return "Nothing is customised: the definition is as it was drafted.\n".to_owned();
    }
    let entity = |k: &KeptReport| k.path.split('/').next().unwrap_or_default().to_owned();
    let mut entities: Vec<String> = kept.iter().map(entity).collect();
    entities.dedup();
    let mut out = format!("{} in {}.\n", plural(kept.len(), "customisation", "customisations"), plural(entities.len(), "file", "files"));
    let mut last = String::new();
    for one in kept {
        if entity(one) != last {
            last = entity(one);
            out.push_str(&format!("\n{}\n", bold(shown(&last))));
        }
        let path = one.path.split_once('/').map_or(one.path.as_str(), |(_, rest)| rest);
        let place = one.at.as_ref().map_or_else(String::new, |at| format!("  {}", dim(format!("{}:{}:{}", at.file, at.line, at.column))));
        out.push_str(&format!("  {}{place}\n", shown(path)));
        let text = |value: &Option<serde_json::Value>, none: &str| value.as_ref().map_or_else(|| none.to_owned(), |v| shown(&spoken(v)));
        let line = format!("{}; the draft says {}", text(&one.yours, "taken out"), text(&one.draft, "nothing"));
        out.push_str(&format!("      {}\n", wrapped(&line, 6, 8)));
    }
    out.push_str(&format!("\n{}\n", hint("ysomorph custom --reset PATH   (the edit that would give one up)")));
    out
}

/// A value in short, as it stands in a file.
fn spoken(value: &serde_json::Value) -> String {
    let text = written(value);
    let cut: String = text.chars().take(150).collect();
    if cut.len() < text.len() { format!("{cut}…") } else { cut }
}

fn written(value: &serde_json::Value) -> String {
    match value {
        serde_json::Value::Object(parts) => {
            let parts: Vec<String> = parts.iter().map(|(key, value)| format!("{key} = {}", written(value))).collect();
            format!("{{ {} }}", parts.join(", "))
        }
        serde_json::Value::Array(items) => format!("[{}]", items.iter().map(written).collect::<Vec<_>>().join(", ")),
        other => other.to_string(),
    }
}
