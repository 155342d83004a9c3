//! Values and their spellings: a new value is written with as little of the spelling changed as can be.

use crate::toml::{escaped, fits, offsets, parse_value, render_value};
use similar::DiffOp;
use ysomorph_core::definition::{Node, Value};
use ysomorph_kept::edits;

/// The value that a spelling stands for.
pub(super) fn value(text: &str) -> Node {
    parse_value(text).unwrap_or_else(|| Node::new(Value::Other(text.trim().to_owned())))
}

/// The spelling of a value in place of another: of texts only the letters that differ are written anew. Spellings that
/// stood here before are used again where they say the value; one that the way back wouldn't give is kept among them.
pub(super) fn respelled(raw: &str, old: &Node, new: &Node, spellings: &mut Vec<String>) -> String {
    if old == new {
        return raw.to_owned();
    }
    let known = spellings.iter().position(|s| value(s) == *new).map(|at| spellings.remove(at));
    let now = known.unwrap_or_else(|| spelled(raw, old, new));
    if spelled(&now, new, old) != raw {
        spellings.retain(|s| value(s) != *old);
        spellings.push(raw.to_owned());
    }
    now
}

fn spelled(raw: &str, old: &Node, new: &Node) -> String {
    match (&old.value, &new.value) {
        (Value::Text(before), Value::Text(after)) => text_spelled(raw, before, after).unwrap_or_else(|| render_value(new)),
        _ => render_value(new),
    }
}

fn text_spelled(raw: &str, before: &str, after: &str) -> Option<String> {
    let map = offsets(raw);
    if map.len() != before.len() + 1 {
        return None;
    }
    let (old, new): (Vec<char>, Vec<char>) = (before.chars().collect(), after.chars().collect());
    let starts = |chars: &[char]| -> Vec<usize> {
        let mut at = 0;
        let mut all = vec![0];
        all.extend(chars.iter().map(|c| {
            at += c.len_utf8();
            at
        }));
        all
    };
    let (old_at, new_at) = (starts(&old), starts(&new));
    let mut out = raw.to_owned();
    for op in edits(&old, &new).into_iter().rev() {
        let (_, from, to) = match op {
            DiffOp::Equal { .. } => continue,
            DiffOp::Delete { .. } | DiffOp::Insert { .. } | DiffOp::Replace { .. } => op.as_tag_tuple(),
        };
        let (start, end) = (map.get(*old_at.get(from.start)?).copied().flatten()?, map.get(*old_at.get(from.end)?).copied().flatten()?);
        let piece = after.get(*new_at.get(to.start)?..*new_at.get(to.end)?)?;
        let piece = match () {
            () if fits(raw, piece) => piece.to_owned(),
            () if raw.starts_with('"') => escaped(piece),
            // A literal string can't hold it: the whole value becomes a basic string.
            () => return None,
        };
        out.replace_range(start..end, &piece);
    }
    (value(&out).as_text() == Some(after)).then_some(out)
}

/// A key in the spelling of the one before. Quotes stay; where a bare one needs them now they are single ones, which it
/// loses again.
pub(super) fn respelled_key(before: &str, to: &str) -> String {
    let is_bare = |name: &str| crate::toml::render_key(name) == name;
    let was_needed = |quoted: &str| !is_bare(quoted.trim_matches('\''));
    match before.chars().next() {
        Some('"') => format!("\"{}\"", escaped(to)),
        Some('\'') if was_needed(before) && is_bare(to) => to.to_owned(),
        _ if is_bare(to) && !before.starts_with('\'') => to.to_owned(),
        _ if !to.contains('\'') => format!("'{to}'"),
        _ => crate::toml::render_key(to),
    }
}
