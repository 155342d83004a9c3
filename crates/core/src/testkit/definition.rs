//! Definitions: the draft of a schema, with edits by hand.
//!
//! ```text
//! keeper/field.phone.required = true       a value, as TOML writes it
//! keeper/page.list.fields += "half"        a member more
//! keeper/access.guest.rows = "age > 17" nested 300         the value in as many parentheses
//! keeper/field.phone.max_length gone       a key less
//! keeper/fields.fone from field.phone      a key by another name
//! ```

use crate::definition::{At, FileKey, Node, Seg, Tree, Value};
use crate::draft::{Conventions, DraftInput, NamesInUse, draft};
use crate::schema::Schema;
use std::collections::BTreeMap;

/// The role that drafts let do everything.
pub const ROLE: &str = "everyone";

/// What the generator drafts for a schema.
pub fn drafted(schema: &Schema) -> Tree {
    let (conventions, names) = (Conventions::default(), NamesInUse::default());
    draft(schema, &DraftInput { conventions: &conventions, names: &names, open_to: Some(ROLE), title: "Keepers", earlier: None }).tree
}

/// Edits a definition.
pub fn edit(tree: &mut Tree, line: &str) {
    let (place, rest) = line.split_once(' ').unwrap_or_else(|| panic!("an edit is `FILE/PATH = VALUE`, not `{line}`"));
    let (file, path) = place.split_once('/').unwrap_or_else(|| panic!("`{place}` names no place"));
    let file = if file == "app" { FileKey::App } else { FileKey::Entity(file.to_owned()) };
    let root = tree.files.get_mut(&file).unwrap_or_else(|| panic!("there is no {}", file.path()));
    let path = segments(path);
    if rest == "gone" {
        root.remove(&path).unwrap_or_else(|| panic!("{place} isn't there"));
    } else if let Some(from) = rest.strip_prefix("from ") {
        let node = root.remove(&segments(from)).unwrap_or_else(|| panic!("{from} isn't there"));
        set(root, &path, node);
    } else if let Some((value, times)) = rest.strip_prefix("= ").and_then(|rest| rest.split_once(" nested ")) {
        let times = times.parse().unwrap_or_else(|_| panic!("`{times}` is no number"));
        let text = value_of(value).as_text().unwrap_or_default().to_owned();
        set(root, &path, Node::text(format!("{}{text}{}", "(".repeat(times), ")".repeat(times))));
    } else if let Some(value) = rest.strip_prefix("= ") {
        set(root, &path, value_of(value));
    } else if let Some(value) = rest.strip_prefix("+= ") {
        let list = root.at_path_mut(&path).unwrap_or_else(|| panic!("{place} isn't there"));
        let Value::List(items) = &mut list.value else { panic!("{place} is no array") };
        items.push(value_of(value));
    } else {
        panic!("`{rest}` is no edit");
    }
}

/// What stands at the place that a line begins with.
fn at_place<'t>(tree: &'t Tree, line: &str) -> Option<&'t Node> {
    let place = line.split(' ').next().unwrap_or_default();
    let (file, path) = place.split_once('/').unwrap_or((place, ""));
    let file = if file == "app" { FileKey::App } else { FileKey::Entity(file.to_owned()) };
    let root = tree.files.get(&file);
    if path.is_empty() { root } else { root.and_then(|root| root.at_path(&segments(path))) }
}

/// The same, as TOML writes it.
pub fn there(tree: &Tree, line: &str) -> String {
    at_place(tree, line).map_or_else(|| "not there".to_owned(), written)
}

/// Whether a definition says what a line says: `keeper/field.phone.label = "Call"`, or `… gone`.
pub fn is_as_said(tree: &Tree, line: &str) -> bool {
    let (_, rest) = line.split_once(' ').unwrap_or_else(|| panic!("`{line}` says nothing"));
    let found = at_place(tree, line);
    match rest.strip_prefix("= ") {
        Some(value) => found == Some(&value_of(value)),
        None if rest == "gone" => found.is_none(),
        None => panic!("`{rest}` says nothing"),
    }
}

/// `page.detail.children[0]`
fn segments(path: &str) -> Vec<Seg> {
    let steps = path.split(['.', '[']).map(|step| step.trim_end_matches(']'));
    steps.map(|step| step.parse().map_or_else(|_| Seg::Key(step.to_owned()), Seg::Index)).collect()
}

/// Sets what stands at a path, with the tables around it.
fn set(root: &mut Node, path: &[Seg], node: Node) {
    match path {
        [] => *root = node,
        [Seg::Index(at), rest @ ..] => {
            let Value::List(items) = &mut root.value else { panic!("there is no array") };
            set(&mut items[*at], rest, node);
        }
        [Seg::Key(key), rest @ ..] => {
            if root.get(key).is_none() {
                root.set(key, Node::table());
            }
            set(root.at_path_mut(&path[..1]).unwrap_or_else(|| panic!("{key} stands in no table")), rest, node);
        }
    }
}

fn value_of(text: &str) -> Node {
    let parsed: toml::Table = toml::from_str(&format!("value = {text}")).unwrap_or_else(|e| panic!("{text}: {e}"));
    node_of(&parsed["value"])
}

fn node_of(value: &toml::Value) -> Node {
    match value {
        toml::Value::Boolean(truth) => (*truth).into(),
        toml::Value::Integer(number) => (*number).into(),
        toml::Value::String(text) => text.as_str().into(),
        toml::Value::Array(items) => Node::new(Value::List(items.iter().map(node_of).collect())),
        toml::Value::Table(entries) => entries.iter().fold(Node::table(), |table, (key, value)| table.with(key, node_of(value))),
        toml::Value::Float(number) => Node::new(Value::Other(number.to_string())),
        toml::Value::Datetime(moment) => Node::new(Value::Other(moment.to_string())),
    }
}

/// A value as TOML writes it.
pub fn written(node: &Node) -> String {
    match &node.value {
        Value::Text(text) => format!("{text:?}"),
        Value::List(items) => format!("[{}]", items.iter().map(written).collect::<Vec<_>>().join(", ")),
        Value::Table(entries) => {
            let entries: Vec<String> = entries.iter().map(|e| format!("{} = {}", e.key, written(&e.node))).collect();
            format!("{{ {} }}", entries.join(", "))
        }
        _ => node.as_scalar().unwrap_or_default(),
    }
}

/// Gives everything in a definition a line of its own, and tells what stands on each line of each file.
pub fn lined(tree: &mut Tree) -> BTreeMap<(String, u32), String> {
    let mut places = BTreeMap::new();
    for (file, root) in tree.files.iter_mut() {
        let mut lines = vec![String::new()];
        number(root, "", &mut lines);
        places.extend(lines.into_iter().zip(1..).map(|(path, line)| ((file.path(), line), format!("{}/{path}", file.name()))));
    }
    places
}

fn number(node: &mut Node, path: &str, lines: &mut Vec<String>) {
    fn next(path: &str, lines: &mut Vec<String>) -> At {
        lines.push(path.to_owned());
        At { line: u32::try_from(lines.len()).unwrap_or(u32::MAX), column: 1 }
    }
    match &mut node.value {
        Value::Table(entries) => {
            for entry in entries {
                let path = format!("{path}{}{}", if path.is_empty() { "" } else { "." }, entry.key);
                entry.at = next(&path, lines);
                entry.node.at = entry.at;
                number(&mut entry.node, &path, lines);
            }
        }
        Value::List(items) => {
            for (at, item) in items.iter_mut().enumerate() {
                let path = format!("{path}[{at}]");
                item.at = next(&path, lines);
                number(item, &path, lines);
            }
        }
        _ => {}
    }
}
