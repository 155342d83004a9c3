//! `.ysomorph/set-aside.toml`: parts waiting for what they hung on, as the bytes that stood there.

use super::SET_ASIDE;
use super::draft::read_value;
use crate::open::{FileError, read_state};
use crate::toml::{Bytes, Piece, parse, render_file, render_value};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::definition::{FileKey, Node};
use ysomorph_core::merge::{Element, Fact, Followed, Gone, Left, Memory, Part, Respelled, Thing};
use ysomorph_core::rename::RenameMap;

#[derive(Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct File {
    /// Version of the format; a newer one is refused before it is read.
    #[serde(skip_serializing_if = "Option::is_none")]
    format: Option<u32>,
    /// What earlier programs counted by.
    #[serde(skip_serializing)]
    #[allow(dead_code, reason = "read from files of earlier programs")]
    next: u32,
    /// Who may do what with a file that is away, as the system's number.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    mode: BTreeMap<String, u32>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    inserted: Vec<String>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    renames: Vec<Vec<Renamed>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    gone: Vec<GoneEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    part: Vec<PartEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    draft: Vec<PartEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    respelled: Vec<RespelledEntry>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    followed: Vec<Followed>,
}

#[derive(Serialize, Deserialize)]
struct Renamed {
    table: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    column: Option<String>,
    to: String,
}

#[derive(Serialize, Deserialize)]
struct ThingEntry {
    table: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    column: Option<String>,
}

#[derive(Serialize, Deserialize)]
struct GoneEntry {
    table: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    column: Option<String>,
    /// The table as it left, as in a snapshot.
    shape: String,
    /// The number of the loss it was part of.
    left: u32,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    restricted: Vec<(String, String)>,
}

#[derive(Serialize, Deserialize)]
struct PartEntry {
    id: u32,
    element: String,
    because: String,
    /// needs, draft, limit or container
    waits_for: String,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    needs: Vec<ThingEntry>,
    since: usize,
    /// The value, as TOML; a whole file's is its bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    value: Option<String>,
    /// What stands in its place, as TOML.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    left: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    order: Vec<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pieces: Vec<Piece>,
}

#[derive(Serialize, Deserialize)]
struct RespelledEntry {
    element: String,
    tokens: Vec<(String, String)>,
}

fn thing(entry: &ThingEntry) -> Thing {
    Thing { table: entry.table.clone(), column: entry.column.clone() }
}

/// What is remembered, the parts' bytes, and the modes of files that are away.
pub(super) type SetAside = (Memory, BTreeMap<FileKey, Bytes>, BTreeMap<String, u32>);

/// Reads the file.
pub(super) fn read(text: &str) -> Result<SetAside, FileError> {
    let file: File = read_state(SET_ASIDE, text)?;
    let broken = |message: String| FileError { file: SET_ASIDE.to_owned(), at: None, message, text: String::new() };
    let mut memory = Memory { inserted: file.inserted.iter().map(|e| Element::decode(e)).collect(), ..Memory::default() };
    for batch in file.renames {
        let mut map = RenameMap::default();
        for renamed in batch {
            match renamed.column {
                Some(column) => map.rename_column(&renamed.table, &column, &renamed.to),
                None => map.rename_table(&renamed.table, &renamed.to),
            }
        }
        memory.renames.push(map);
    }
    for gone in file.gone {
        let shape = serde_json::from_str(&gone.shape).map_err(|e| broken(format!("the shape of `{}`: {e}", gone.table)))?;
        memory.gone.push(Gone {
            thing: Thing { table: gone.table, column: gone.column },
            shape,
            left: gone.left,
            restricted: gone.restricted,
        });
    }
    let mut bytes: BTreeMap<FileKey, Bytes> = BTreeMap::new();
    // Two branches may have given the same number: it only leads from a part to its bytes.
    let numbers = |entries: &[PartEntry]| entries.iter().map(|e| e.id + 1).max().unwrap_or_default();
    memory.next = numbers(&file.part).max(numbers(&file.draft));
    let mut taken = BTreeSet::new();
    for entry in &file.part {
        let mut part = read_part(entry).ok_or_else(|| broken(format!("part {} can't be read", entry.id)))?;
        if !taken.insert(part.id) {
            part.id = memory.next;
            memory.next += 1;
        }
        bytes.entry(part.element.file.clone()).or_default().insert(part.id, entry.pieces.clone());
        memory.parts.push(part);
    }
    for entry in &file.draft {
        memory.draft_parts.push(read_part(entry).ok_or_else(|| broken(format!("draft part {} can't be read", entry.id)))?);
    }
    memory.respelled = file.respelled.into_iter().map(|r| Respelled { element: Element::decode(&r.element), tokens: r.tokens }).collect();
    memory.followed = file.followed;
    Ok((memory, bytes, file.mode))
}

fn read_part(entry: &PartEntry) -> Option<Part> {
    let element = Element::decode(&entry.element);
    let was = match (&entry.value, entry.pieces.as_slice()) {
        (Some(text), _) if element.steps.is_empty() => Some(parse(text).ok()?.node),
        (Some(text), _) => Some(read_value(text)?),
        (None, [Piece::Text { text }]) if element.steps.is_empty() => Some(parse(text).ok()?.node),
        (None, _) => None,
    };
    let left = match &entry.left {
        Some(text) => Left::Value(read_value(text)?),
        None => Left::Absent,
    };
    let fact = match entry.waits_for.as_str() {
        "needs" => Fact::Needs(entry.needs.iter().map(thing).collect()),
        "draft" => Fact::Draft,
        "limit" => Fact::Limit,
        "container" => Fact::Container,
        _ => return None,
    };
    Some(Part { id: entry.id, element, was, left, fact, order: entry.order.clone(), since: entry.since, because: entry.because.clone() })
}

/// Writes the file; nothing where nothing is remembered.
pub(super) fn write(memory: &Memory, bytes: &BTreeMap<FileKey, Bytes>, modes: &BTreeMap<String, u32>) -> Option<String> {
    let nothing = Memory { next: memory.next, ..Memory::default() };
    if *memory == nothing && modes.is_empty() {
        return None;
    }
    let renames = memory.renames.iter().map(|map| {
        let tables = map.table_renames().map(|(table, to)| Renamed { table: table.to_owned(), column: None, to: to.to_owned() });
        let columns = map.column_renames().map(|(table, column, to)| Renamed {
            table: table.to_owned(),
            column: Some(column.to_owned()),
            to: to.to_owned(),
        });
        tables.chain(columns).collect()
    });
    let gone = memory.gone.iter().map(|g| GoneEntry {
        table: g.thing.table.clone(),
        column: g.thing.column.clone(),
        shape: serde_json::to_string(&g.shape).unwrap_or_default(),
        left: g.left,
        restricted: g.restricted.clone(),
    });
    let file = File {
        format: Some(1),
        next: 0,
        mode: modes.clone(),
        inserted: memory.inserted.iter().map(Element::encode).collect(),
        renames: renames.collect(),
        gone: gone.collect(),
        part: memory
            .parts
            .iter()
            .map(|p| write_part(p, bytes.get(&p.element.file).and_then(|b| b.get(&p.id)).cloned().unwrap_or_default()))
            .collect(),
        draft: memory.draft_parts.iter().map(|p| write_part(p, Vec::new())).collect(),
        respelled: memory.respelled.iter().map(|r| RespelledEntry { element: r.element.encode(), tokens: r.tokens.clone() }).collect(),
        followed: memory.followed.clone(),
    };
    let head = "# What merges took out of the definition, kept to be put back when what it hung on returns.\n# Written by ysomorph; keep it under version control.\n";
    Some(format!("{head}{}", toml_edit::ser::to_string_pretty(&file).unwrap_or_default()))
}

fn write_part(part: &Part, pieces: Vec<Piece>) -> PartEntry {
    let (waits_for, needs) = match &part.fact {
        Fact::Needs(things) => ("needs", things.iter().map(|t| ThingEntry { table: t.table.clone(), column: t.column.clone() }).collect()),
        Fact::Draft => ("draft", Vec::new()),
        Fact::Limit => ("limit", Vec::new()),
        Fact::Container => ("container", Vec::new()),
    };
    let whole_file = part.element.steps.is_empty();
    let render = |node: &Node| if whole_file { render_file(node) } else { render_value(node) };
    PartEntry {
        id: part.id,
        element: part.element.encode(),
        because: part.because.clone(),
        waits_for: waits_for.to_owned(),
        needs,
        since: part.since,
        value: part.was.as_ref().filter(|_| !whole_file || pieces.is_empty()).map(render),
        left: match &part.left {
            Left::Value(node) => Some(render_value(node)),
            Left::Absent => None,
        },
        order: part.order.clone(),
        pieces,
    }
}
