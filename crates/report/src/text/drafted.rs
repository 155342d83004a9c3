//! What was drafted and why: each topic on a line, the convention that changes a guess at the right edge.

use super::style::{WIDTH, dim, edges, heading, hint, padded, plural, wrapped};
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::draft::{Explained, Note};
use ysomorph_core::name::shown;

/// What `start` drafted from so many tables; `left_out` are tables that have no entity, and why.
pub fn drafted(explained: &Explained, tables: usize, left_out: &[(String, &str)]) -> String {
    let tree = &explained.draft.tree;
    let pages = |entity: &ysomorph_core::definition::Node| entity.get("page").map_or(0, |p| p.entries().len());
    let all: usize = tree.entities().map(|(_, e)| pages(e)).sum();
    let mut out = format!(
        "Drafted {} with {} from {}.\n",
        plural(tree.entities().count(), "entity", "entities"),
        plural(all, "page", "pages"),
        plural(tables, "table", "tables")
    );
    let mut own: BTreeMap<&str, Vec<&Note>> = BTreeMap::new();
    for note in &explained.notes {
        own.entry(&note.entity).or_default().push(note);
    }
    for (name, node) in tree.entities() {
        let fields = node.get("field").map_or(0, |f| f.entries().len());
        let counts = format!("{}, {}", plural(fields, "field", "fields"), plural(pages(node), "page", "pages"));
        out.push_str(&format!("\n{}  {}\n{}", heading(shown(name)), dim(counts), notes_of(own.remove(name).unwrap_or_default())));
    }
    if let Some(elsewhere) = own.remove("") {
        out.push_str(&format!("\n{}\n{}", heading("Of the database"), notes_of(elsewhere)));
    }
    if !left_out.is_empty() {
        out.push_str(&format!("\n{}\n", heading("Left out")));
        for (table, why) in left_out {
            out.push_str(&format!("  {}\n", wrapped(&format!("{}: {why}", shown(table)), 2, 4)));
        }
    }
    let closing = [
        "At the right: the key under [conventions] in ysomorph.toml that changes the guess; without one, the database says so. \
         Labels are the words of names (label_case, abbreviations).",
        "The definition is in app/, one file an entity, yours to edit: labels, order, pages, access. One role, everyone, may do everything.",
    ];
    for text in closing {
        out.push_str(&format!("\n{}\n", wrapped(text, 0, 0)));
    }
    out.push_str(&format!("\n{}\n", hint("ysomorph check, and ysomorph changes on the day the database changed")));
    out
}

/// Notes with one topic, reason and convention are one line.
pub(super) fn notes_of<'a>(notes: impl IntoIterator<Item = &'a Note>) -> String {
    let mut lines: Vec<(&Note, Vec<String>)> = Vec::new();
    for note in notes {
        let alike = |(first, _): &&mut (&Note, Vec<String>)| {
            (first.topic, &first.why, first.convention) == (note.topic, &note.why, note.convention)
        };
        match lines.iter_mut().find(alike) {
            Some((_, whats)) => whats.push(shown(&note.what)),
            None => lines.push((note, vec![shown(&note.what)])),
        }
    }
    let mut out = String::new();
    for (note, whats) in lines {
        let topic = format!("  {}", padded(note.topic, 11));
        let indent = topic.width();
        let text = format!("{topic}{}", wrapped(&format!("{}: {}", whats.join(", "), shown(&note.why)), indent, indent));
        let by = note.convention.unwrap_or_default();
        // The convention stands behind the last line where there is room, else on a line of its own.
        let last = text.rsplit('\n').next().unwrap_or_default();
        let line = match last.width() + by.width() + 2 {
            _ if by.is_empty() => text,
            width if width <= WIDTH => format!("{}{}", &text[..text.len() - last.len()], edges(last, by)),
            _ => format!("{text}\n{}", edges("", by)),
        };
        out.push_str(&format!("{line}\n"));
    }
    out
}
