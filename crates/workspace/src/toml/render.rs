//! The generator's own spelling of values, lines, blocks and whole files.

use super::strings::escaped;
use ysomorph_core::definition::{Entry, Node, Value};

/// Arrays wider than this are written a member a line.
const WIDE: usize = 100;

/// A value on one line (or, for a wide array, several).
pub fn value(node: &Node) -> String {
    let flat = flat(node);
    match &node.value {
        Value::List(items) if flat.chars().count() > WIDE && !items.is_empty() => {
            let members: Vec<String> = items.iter().map(|i| format!("  {},\n", self::flat(i))).collect();
            format!("[\n{}]", members.concat())
        }
        _ => flat,
    }
}

fn flat(node: &Node) -> String {
    match &node.value {
        Value::Bool(truth) => truth.to_string(),
        Value::Int(number) => number.to_string(),
        Value::Text(text) => format!("\"{}\"", escaped(text)),
        Value::Other(text) => text.clone(),
        Value::List(items) => format!("[{}]", items.iter().map(flat).collect::<Vec<_>>().join(", ")),
        Value::Table(entries) if entries.is_empty() => "{}".to_owned(),
        Value::Table(entries) => {
            format!("{{ {} }}", entries.iter().map(|e| format!("{} = {}", key(&e.key), flat(&e.node))).collect::<Vec<_>>().join(", "))
        }
    }
}

/// A key, quoted where it must be.
pub fn key(name: &str) -> String {
    let bare = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-');
    if bare { name.to_owned() } else { format!("\"{}\"", escaped(name)) }
}

/// `key = value`
pub fn line(name: &str, node: &Node) -> String {
    format!("{} = {}", key(name), value(node))
}

/// A block with its header, without a line break at the end. Elements of sections get a line each.
pub fn block(header: &str, node: &Node) -> String {
    let lines: Vec<String> = node.entries().iter().map(entry_line).collect();
    std::iter::once(header.to_owned()).chain(lines).collect::<Vec<_>>().join("\n")
}

fn entry_line(entry: &Entry) -> String {
    let tables = !entry.node.items().is_empty() && entry.node.items().iter().all(|i| matches!(i.value, Value::Table(_)));
    if tables {
        let members: Vec<String> = entry.node.items().iter().map(|i| format!("  {},\n", flat(i))).collect();
        return format!("{} = [\n{}]", key(&entry.key), members.concat());
    }
    line(&entry.key, &entry.node)
}

/// A whole file: values first, then a block for each named element, `[[…]]` for top-level arrays of tables.
pub fn file(node: &Node) -> String {
    let is_group = |e: &&Entry| matches!(&e.node.value, Value::Table(children) if !children.is_empty() && children.iter().all(|c| matches!(c.node.value, Value::Table(_))));
    let is_tables = |e: &&Entry| !e.node.items().is_empty() && e.node.items().iter().all(|i| matches!(i.value, Value::Table(_)));
    let mut parts: Vec<String> = Vec::new();
    let plain: Vec<String> = node.entries().iter().filter(|e| !is_group(e) && !is_tables(e)).map(|e| line(&e.key, &e.node)).collect();
    if !plain.is_empty() {
        parts.push(plain.join("\n"));
    }
    for group in node.entries().iter().filter(is_group) {
        for child in group.node.entries() {
            parts.push(block(&format!("[{}.{}]", key(&group.key), key(&child.key)), &child.node));
        }
    }
    for tables in node.entries().iter().filter(is_tables) {
        for item in tables.node.items() {
            parts.push(block(&format!("[[{}]]", key(&tables.key)), item));
        }
    }
    let mut text = parts.join("\n\n");
    text.push('\n');
    text
}
