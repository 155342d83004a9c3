//! The same definition in other layouts of TOML: tables of their own, blocks, dotted keys, lists over many lines.

use crate::model::Random;
use ysomorph_core::definition::{Node, Seg, Value};
use ysomorph_workspace::toml::{parse, render_value};

/// A file in another layout; what can't be laid out otherwise stays as it is.
pub fn relaid(text: &str, random: &mut Random) -> String {
    let mut text = text.to_owned();
    for _ in 0..random.below(5) {
        let new = match random.below(7) {
            0 => own_table(&text, random, &["field", "lookup"]),
            1 => blocks(&text, random),
            2 => own_table(&text, random, &["outward", "fields"]),
            3 => dotted(&text, random),
            4 => field_on_top(&text, random),
            _ => many_lines(&text, random),
        };
        if let Some(new) = new.filter(|new| in_order(new) == in_order(&text)) {
            text = new;
        }
    }
    text
}

/// What a file says, whatever the order of its keys.
fn in_order(text: &str) -> Option<Node> {
    fn sort(node: &mut Node) {
        if let Value::Table(entries) = &mut node.value {
            entries.sort_by(|a, b| a.key.cmp(&b.key));
            entries.iter_mut().for_each(|entry| sort(&mut entry.node));
        }
    }
    let mut node = parse(text).ok()?;
    sort(&mut node);
    Some(node)
}

/// The lines of `key = …` in a section, the first and the one behind the last.
fn lines_of(text: &str, header: &str, key: &str) -> Option<(usize, usize)> {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let start =
        if header.is_empty() { 0 } else { lines.iter().position(|l| l.split('#').next().unwrap_or_default().trim() == header)? + 1 };
    let at = (start..lines.len()).take_while(|l| !lines[*l].starts_with('[')).find(|l| lines[*l].starts_with(&format!("{key} = ")))?;
    let end = (at + 1..=lines.len()).find(|end| parse(&lines[at..*end].concat()).is_ok())?;
    Some((at, end))
}

fn without(text: &str, (from, to): (usize, usize), with: &str) -> String {
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    format!("{}{with}{}", lines[..from].concat(), lines[to..].concat())
}

fn ended(text: String) -> String {
    if text.ends_with('\n') { text } else { format!("{text}\n") }
}

fn header_of(path: &[String]) -> String {
    let key =
        |k: &String| if k.chars().all(|c| c.is_ascii_alphanumeric() || c == '_' || c == '-') { k.clone() } else { format!("\"{k}\"") };
    path.iter().map(key).collect::<Vec<_>>().join(".")
}

/// An inline table as a table of its own at the end of the file.
fn own_table(text: &str, random: &mut Random, [group, key]: &[&str; 2]) -> Option<String> {
    let node = parse(text).ok()?;
    let around = node.get(group)?;
    let path: Vec<String> = match around.get(key) {
        Some(_) => vec![(*group).to_owned()],
        None => {
            let with: Vec<&String> = around.entries().iter().filter(|e| e.node.get(key).is_some()).map(|e| &e.key).collect();
            vec![(*group).to_owned(), (*with.get(random.below(with.len()))?).clone()]
        }
    };
    let segs: Vec<Seg> = path.iter().map(|k| Seg::Key(k.clone())).chain([Seg::from(*key)]).collect();
    let value = node.at_path(&segs)?;
    let lines = lines_of(text, &format!("[{}]", header_of(&path)), key)?;
    let inner: String = value
        .entries()
        .iter()
        .map(|e| format!("{} = {}   # own\n", header_of(std::slice::from_ref(&e.key)), render_value(&e.node)))
        .collect();
    Some(format!("{}\n[{}.{key}]\n{inner}", ended(without(text, lines, "")), header_of(&path)))
}

/// A list of child lists as blocks.
fn blocks(text: &str, random: &mut Random) -> Option<String> {
    let node = parse(text).ok()?;
    let children = node.at_path(&["page".into(), "detail".into(), "children".into()])?;
    let lines = lines_of(text, "[page.detail]", "children")?;
    let mut out = String::new();
    for child in children.items() {
        if random.one_in(2) {
            out.push_str("\n# a list");
        }
        out.push_str("\n[[page.detail.children]]\n");
        child.entries().iter().for_each(|e| out.push_str(&format!("{} = {}\n", e.key, render_value(&e.node))));
    }
    Some(ended(without(text, lines, "")) + &out)
}

/// A label by dotted keys.
fn dotted(text: &str, _: &mut Random) -> Option<String> {
    let node = parse(text).ok()?;
    let label: &Node = node.get("label")?;
    let lines = lines_of(text, "", "label")?;
    let inner: String = label.entries().iter().map(|e| format!("label.{} = {}\n", e.key, render_value(&e.node))).collect();
    Some(without(text, lines, &inner))
}

/// A field without a header of its own, above all headers: as a value, or by dotted keys.
fn field_on_top(text: &str, random: &mut Random) -> Option<String> {
    let node = parse(text).ok()?;
    let field = random.pick(node.get("field")?.entries());
    let name = header_of(&["field".to_owned(), field.key.clone()]);
    let lines: Vec<&str> = text.split_inclusive('\n').collect();
    let start = lines.iter().position(|l| l.split('#').next().unwrap_or_default().trim() == format!("[{name}]"))?;
    let end = (start + 1..lines.len()).find(|at| lines[*at].starts_with(['[', '#'])).unwrap_or(lines.len());
    let keys = field.node.entries().iter().map(|e| (header_of(std::slice::from_ref(&e.key)), render_value(&e.node)));
    let written = match random.below(2) {
        0 => format!("{name} = {{ {} }}   # short\n", keys.map(|(key, value)| format!("{key} = {value}")).collect::<Vec<_>>().join(", ")),
        _ => keys.map(|(key, value)| format!("{name}.{key} = {value}\n")).collect(),
    };
    let rest = without(text, (start, end), "");
    let top = rest.find("\n[").map_or(rest.len(), |at| at + 1);
    Some(format!("{}{written}{}", ended(rest[..top].to_owned()), &rest[top..]))
}

/// A list of names a member a line, with comments, and with a comma behind the last or without.
fn many_lines(text: &str, random: &mut Random) -> Option<String> {
    let page = *random.pick(&["list", "bulk", "by-something"]);
    let key = *random.pick(&["fields", "search", "filter", "sort"]);
    let node = parse(text).ok()?;
    let list = node.at_path(&["page".into(), page.into(), key.into()])?;
    let Value::List(items) = &list.value else { return None };
    let lines = lines_of(text, &format!("[page.{page}]"), key)?;
    let last = items.len().checked_sub(1)?;
    let comma = random.one_in(2);
    let mut out = format!("{key} = [{}\n", if random.one_in(3) { "   # shown" } else { "" });
    for (at, item) in items.iter().enumerate() {
        if random.one_in(4) {
            out.push_str("  # about the next\n");
        }
        let end = if at < last || comma { "," } else { "" };
        let note = if random.one_in(3) { "   # this" } else { "" };
        out.push_str(&format!("  {}{end}{note}\n", render_value(item)));
    }
    out.push_str("]\n");
    Some(without(text, lines, &out))
}
