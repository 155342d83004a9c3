//! Files of the state that version control joined with a conflict: both sides are brought together by what they mean.
//!
//! Nothing that either branch hid, lost or left to people goes: lists of tiles take the lines of both, the accepted schema and
//! what is known take what each branch changed since they parted, as the entries of the merges tell it.

use crate::merges::{HistoryEntry, heads};
use serde_json::{Map, Value};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_kept::Tiles;

/// The two sides of a text in which version control left conflicts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Sides {
    pub ours: String,
    pub theirs: String,
}

/// The line on which a text's first conflict begins, from 1.
pub(crate) fn first_conflict(text: &str) -> Option<u32> {
    let at = text.lines().position(|line| line.starts_with("<<<<<<< "))?;
    let rest: Vec<&str> = text.lines().skip(at).collect();
    let is_whole = rest.iter().any(|line| line.trim_end() == "=======") && rest.iter().any(|line| line.starts_with(">>>>>>> "));
    is_whole.then(|| u32::try_from(at + 1).unwrap_or(u32::MAX))
}

/// The sides of a text; nothing where it has no conflict.
pub(crate) fn sides(text: &str) -> Option<Sides> {
    first_conflict(text)?;
    let mut sides = Sides { ours: String::new(), theirs: String::new() };
    // Which sides a line is of: both outside a conflict, neither in what they had in common before.
    let (mut ours, mut theirs) = (true, true);
    for line in text.split_inclusive('\n') {
        let bare = line.trim_end();
        match bare {
            _ if line.starts_with("<<<<<<< ") => (ours, theirs) = (true, false),
            _ if !theirs && line.starts_with("||||||| ") => (ours, theirs) = (false, false),
            "=======" if !(ours && theirs) => (ours, theirs) = (false, true),
            _ if !ours && line.starts_with(">>>>>>> ") => (ours, theirs) = (true, true),
            _ => {
                if ours {
                    sides.ours.push_str(line);
                }
                if theirs {
                    sides.theirs.push_str(line);
                }
            }
        }
    }
    Some(sides)
}

/// The list of both sides: ours, with what is hidden on the other side alone.
///
/// # Errors
/// Where a side can't be read: what is hidden there would be lost.
pub(crate) fn list_of_both(sides: &Sides) -> Result<String, String> {
    let read = |text: &str| Tiles::from_list(text).map_err(|e| e.to_string());
    let mut ours = read(&sides.ours)?;
    ours.take_hidden(&read(&sides.theirs)?);
    Ok(ours.list())
}

/// The index of both sides: a file that one of them has a list for has one.
pub(crate) fn index_of_both(sides: &Sides) -> String {
    let mut by_name: BTreeMap<&str, &str> = BTreeMap::new();
    for line in sides.theirs.lines().chain(sides.ours.lines()) {
        let name = line.split_once(' ').map_or(line, |(_, name)| name);
        let entity = name.strip_suffix(".entity.list").or_else(|| name.strip_suffix(".list")).unwrap_or(name);
        let is_list = |line: &str| line.starts_with("list ");
        if !by_name.get(entity).is_some_and(|known| is_list(known) && !is_list(line)) {
            by_name.insert(entity, line);
        }
    }
    by_name.values().map(|line| format!("{line}\n")).collect()
}

/// JSON that both sides changed since `base`: what one of them changed is changed, what both changed is ours. Where it isn't
/// known what they changed, what either has stays.
pub(crate) fn json_of_both(base: Option<&str>, sides: &Sides) -> Result<String, serde_json::Error> {
    let (ours, theirs): (Value, Value) = (serde_json::from_str(&sides.ours)?, serde_json::from_str(&sides.theirs)?);
    let base: Option<Value> = base.and_then(|text| serde_json::from_str(text).ok());
    serde_json::to_string(&join(base.as_ref(), Some(&ours), Some(&theirs)).unwrap_or(ours))
}

fn join(base: Option<&Value>, ours: Option<&Value>, theirs: Option<&Value>) -> Option<Value> {
    if ours == theirs || theirs == base {
        return ours.cloned();
    }
    if ours == base {
        return theirs.cloned();
    }
    match (ours, theirs) {
        (Some(Value::Object(ours)), Some(Value::Object(theirs))) => {
            let empty = Map::new();
            let base = base.and_then(Value::as_object).unwrap_or(&empty);
            let mut joined = Map::new();
            for key in ours.keys().chain(theirs.keys().filter(|key| !ours.contains_key(*key))) {
                if let Some(value) = join(base.get(key), ours.get(key), theirs.get(key)) {
                    joined.insert(key.clone(), value);
                }
            }
            Some(Value::Object(joined))
        }
        (Some(Value::Array(ours)), Some(Value::Array(theirs))) => {
            Some(Value::Array(members(base.and_then(Value::as_array).map_or(&[], Vec::as_slice), ours, theirs)))
        }
        _ => ours.or(theirs).cloned(),
    }
}

/// What tells a member of an array: its name, the table or column that it is about, else all of it.
fn key(member: &Value) -> String {
    let text = |key: &str| member.get(key).and_then(Value::as_str);
    match (text("name"), text("table"), text("column")) {
        (Some(name), ..) => name.to_owned(),
        (None, Some(table), Some(column)) => format!("{table}.{column}"),
        (None, Some(table), None) => table.to_owned(),
        _ => member.to_string(),
    }
}

/// The members of two arrays: those that one side took out are out, those that one brought in come behind their neighbour there.
fn members(base: &[Value], ours: &[Value], theirs: &[Value]) -> Vec<Value> {
    let of = |all: &[Value], wanted: &str| all.iter().find(|member| key(member) == wanted).cloned();
    let mut order: Vec<String> = ours.iter().map(key).collect();
    for (at, member) in theirs.iter().enumerate() {
        let name = key(member);
        if !order.contains(&name) {
            let before = theirs.iter().take(at).rev().find_map(|m| order.iter().position(|known| *known == key(m)));
            order.insert(before.map_or(0, |at| at + 1), name);
        }
    }
    let join_one = |name: &String| join(of(base, name).as_ref(), of(ours, name).as_ref(), of(theirs, name).as_ref());
    order.iter().filter_map(join_one).collect()
}

/// What a file of the state held where the branches of these entries parted, as the first entry that wrote it since tells it.
pub(crate) fn base_of<'e>(entries: &'e [HistoryEntry], path: &str) -> Option<&'e str> {
    let heads = heads(entries);
    let before = |head: &String| -> BTreeSet<String> {
        let (mut seen, mut next) = (BTreeSet::new(), vec![head.clone()]);
        while let Some(id) = next.pop() {
            if seen.insert(id.clone()) {
                next.extend(entries.iter().filter(|e| e.id == id).flat_map(|e| e.after.iter().cloned()));
            }
        }
        seen
    };
    let mut common = before(heads.first()?);
    for head in heads.iter().skip(1) {
        let theirs = before(head);
        common.retain(|id| theirs.contains(id));
    }
    let since = entries.iter().filter(|e| !common.contains(&e.id));
    since.flat_map(|e| &e.files).find(|f| f.path == path).and_then(|f| f.before.as_deref())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_conflict_has_two_sides_and_what_is_outside_is_on_both() {
        let text = "a\n<<<<<<< HEAD\nb\n||||||| base\nx\n=======\nc\n>>>>>>> other\nd\n";
        let found = sides(text).unwrap();
        assert_eq!((found.ours.as_str(), found.theirs.as_str()), ("a\nb\nd\n", "a\nc\nd\n"));
        assert_eq!(first_conflict(text), Some(2));
        // A line that only looks like one is none.
        assert_eq!(sides("a\n<<<<<<< \nb\n=======\n"), None);
    }

    #[test]
    fn json_takes_what_each_side_changed() {
        let both = |base: &str, ours: &str, theirs: &str| {
            json_of_both(Some(base), &Sides { ours: ours.to_owned(), theirs: theirs.to_owned() }).unwrap()
        };
        for (base, ours, theirs, joined) in [
            (r#"{"a":1,"b":1}"#, r#"{"a":2,"b":1}"#, r#"{"a":1,"b":2}"#, r#"{"a":2,"b":2}"#),
            // Both changed it: ours.
            (r#"{"a":1}"#, r#"{"a":2}"#, r#"{"a":3}"#, r#"{"a":2}"#),
            // One took a key out, the other brought one in.
            (r#"{"a":1}"#, "{}", r#"{"a":1,"b":1}"#, r#"{"b":1}"#),
            // What is about columns of one table.
            (
                r#"[{"table":"t","column":"a"}]"#,
                r#"[{"table":"t","column":"a"},{"table":"t","column":"b"}]"#,
                r#"[{"table":"t","column":"a","k":1}]"#,
                r#"[{"table":"t","column":"a","k":1},{"table":"t","column":"b"}]"#,
            ),
            // Lists of names, and of named things.
            (r#"["x","y"]"#, r#"["y"]"#, r#"["x","z","y"]"#, r#"["z","y"]"#),
            (
                r#"[{"name":"a","k":1},{"name":"b"}]"#,
                r#"[{"name":"a","k":2},{"name":"b"},{"name":"c"}]"#,
                r#"[{"name":"a","k":1,"l":1}]"#,
                r#"[{"name":"a","k":2,"l":1},{"name":"c"}]"#,
            ),
        ] {
            assert_eq!(both(base, ours, theirs), joined, "{base} {ours} {theirs}");
        }
    }

    #[test]
    fn nothing_is_lost_where_it_is_not_known_what_either_side_changed() {
        let sides = Sides { ours: r#"{"lost":["a"],"k":1}"#.into(), theirs: r#"{"lost":["b"],"k":2,"l":1}"#.into() };
        assert_eq!(json_of_both(None, &sides).unwrap(), r#"{"lost":["b","a"],"k":1,"l":1}"#);
        assert!(list_of_both(&Sides { ours: "{\"kept\":1}\n".into(), theirs: "damaged\n".into() }).is_err());
    }

    #[test]
    fn a_file_that_one_side_has_a_list_for_has_one() {
        let sides = Sides { ours: "sha256:1 hive\nlist app.list\n".into(), theirs: "list hive.entity.list\nsha256:2 yard\n".into() };
        assert_eq!(index_of_both(&sides), "list app.list\nlist hive.entity.list\nsha256:2 yard\n");
    }
}
