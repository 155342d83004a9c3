//! What was drafted and why: each topic on a line, the convention that changes a guess at the right edge.

use super::style::{dim, edges, heading, hint, padded, width, wrapped};
use crate::wording::plural;
use std::collections::BTreeMap;
use unicode_width::UnicodeWidthStr;
use ysomorph_core::definition::{FileKey, Node};
use ysomorph_core::draft::{Doubt, Explained, Guess, Note, worth_a_look};
use ysomorph_core::name::shown;

/// Kinds of guesses that `start` names, and examples of each.
const GUESSES: usize = 12;
const EXAMPLES: usize = 4;

/// What `start` drafted from so many tables; `left_out` are tables that have no entity, and why. `whole` says why everything was
/// drafted as it was, entity by entity; else only what is worth a look is said.
pub fn drafted(explained: &Explained, tables: usize, left_out: &[(String, &str)], whole: bool) -> String {
    let tree = &explained.draft.tree;
    let all: usize = tree.entities().map(|(_, e)| pages(e)).sum();
    let mut out = format!(
        "Drafted {} with {} from {}.\n",
        plural(tree.entities().count(), "entity", "entities"),
        plural(all, "page", "pages"),
        plural(tables, "table", "tables")
    );
    out.push_str(&shape(explained));
    out.push_str(&if whole { entity_by_entity(explained) } else { guesses(explained) });
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

fn pages(entity: &Node) -> usize {
    entity.get("page").map_or(0, |p| p.entries().len())
}

/// What the application looks like from afar: its menu.
fn shape(explained: &Explained) -> String {
    let menu = explained.draft.tree.files.get(&FileKey::App).and_then(|app| app.get("menu"));
    let mut out = String::new();
    for group in menu.map(Node::items).unwrap_or_default() {
        let label = group.get("label").and_then(Node::as_text).unwrap_or_default();
        let items = group.get("items").map(Node::strings).unwrap_or_default();
        let more = items.len().saturating_sub(ITEMS);
        let mut told = items.iter().take(ITEMS).map(|i| shown(i)).collect::<Vec<_>>().join(", ");
        if more > 0 {
            told.push_str(&format!(" and {more} more"));
        }
        let start = format!("  {}  ", padded(&shown(label), 11));
        let indent = start.width();
        out.push_str(&format!("{start}{}\n", wrapped(&told, indent, indent)));
    }
    if out.is_empty() { out } else { format!("\n{}\n{out}", heading("In the menu")) }
}

/// Entities that a group of the menu names.
const ITEMS: usize = 12;

/// What is worth a look: guesses of one kind together, with a few examples.
fn guesses(explained: &Explained) -> String {
    let guesses = worth_a_look(&explained.notes);
    if guesses.is_empty() {
        return String::new();
    }
    let mut out = format!("\n{}\n", heading("Worth a look"));
    for Guess { note, of } in guesses.iter().take(GUESSES) {
        let of_entity = |n: &&&Note| match n.entity.as_str() {
            "" => shown(&n.what),
            entity if n.path.first().is_some_and(|p| p == "field") => format!("{}.{}", shown(entity), shown(&n.what)),
            entity if n.doubt == Some(Doubt::Menu) => shown(entity),
            entity => format!("{} by {}", shown(entity), shown(&n.what)),
        };
        let mut told: Vec<String> = of.iter().take(EXAMPLES).map(|n| of_entity(&n)).collect();
        if let Some(more) = of.len().checked_sub(EXAMPLES).filter(|more| *more > 0) {
            told.push(format!("{more} more"));
        }
        if let Some(last) = told.last_mut().filter(|_| note.doubt == Some(Doubt::Menu)) {
            last.push_str(&format!(" {}", note.what));
        }
        out.push_str(&line(note, &told));
    }
    let told: usize = guesses.iter().take(GUESSES).map(|g| g.of.len().min(EXAMPLES)).sum();
    let rest = explained.notes.len().saturating_sub(told);
    let more =
        format!("{}: ysomorph show ENTITY says of each page why it was drafted as it is.", plural(rest, "more choice", "more choices"));
    out.push_str(&format!("\n{}\n", wrapped(&more, 0, 0)));
    out
}

fn entity_by_entity(explained: &Explained) -> String {
    let mut out = String::new();
    let mut own: BTreeMap<&str, Vec<&Note>> = BTreeMap::new();
    for note in &explained.notes {
        own.entry(&note.entity).or_default().push(note);
    }
    for (name, node) in explained.draft.tree.entities() {
        let fields = node.get("field").map_or(0, |f| f.entries().len());
        let counts = format!("{}, {}", plural(fields, "field", "fields"), plural(pages(node), "page", "pages"));
        out.push_str(&format!("\n{}  {}\n{}", heading(shown(name)), dim(counts), notes_of(own.remove(name).unwrap_or_default())));
    }
    if let Some(elsewhere) = own.remove("") {
        out.push_str(&format!("\n{}\n{}", heading("Of the database"), notes_of(elsewhere)));
    }
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
    lines.into_iter().map(|(note, whats)| line(note, &whats)).collect()
}

/// A topic with what was chosen, why, and the convention that changes it.
fn line(note: &Note, whats: &[String]) -> String {
    let topic = format!("  {}", padded(note.topic, 11));
    let indent = topic.width();
    let text = format!("{topic}{}", wrapped(&format!("{}: {}", whats.join(", "), shown(&note.why)), indent, indent));
    let by = note.convention.unwrap_or_default();
    // The convention stands behind the last line where there is room, else on a line of its own.
    let last = text.rsplit('\n').next().unwrap_or_default();
    match last.width() + by.width() + 2 {
        _ if by.is_empty() => format!("{text}\n"),
        wide if wide <= width() => format!("{}{}\n", &text[..text.len() - last.len()], edges(last, by)),
        _ => format!("{text}\n{}\n", edges("", by)),
    }
}
