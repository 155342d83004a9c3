//! Tables by what columns that refer to them are called.

use super::labels::{prefix_of, singular, without_prefix};
use crate::name::{self, same};
use crate::schema::{Column, Kind, Schema, Table, TableKind};
use std::collections::BTreeMap;

/// Tables by what columns that refer to them are called: their names' words in the singular, whole or without a
/// prefix that several tables have.
#[derive(Debug, Default)]
pub(super) struct Referable {
    /// By name; nothing where several tables are called so.
    by_name: BTreeMap<String, Option<usize>>,
}

impl Referable {
    pub fn of(schema: &Schema) -> Referable {
        let tables: Vec<(usize, Vec<String>)> = schema
            .tables
            .iter()
            .enumerate()
            .filter(|(_, t)| t.kind == TableKind::Table)
            .map(|(at, t)| (at, name::words(name::split_qualified(&t.name).1)))
            .collect();
        let mut firsts: BTreeMap<&str, usize> = BTreeMap::new();
        for (_, words) in tables.iter().filter(|(_, words)| words.len() > 1) {
            *firsts.entry(words[0].as_str()).or_default() += 1;
        }
        let is_prefix = |words: &&(usize, Vec<String>)| words.1.len() > 1 && firsts.get(words.1[0].as_str()).is_some_and(|n| *n >= 3);
        let whole = by_name(tables.iter().map(|(at, words)| (*at, words.as_slice())));
        let mut all = by_name(tables.iter().filter(is_prefix).map(|(at, words)| (*at, &words[1..])));
        // What a table is called as a whole says more than the end of it.
        all.extend(whole);
        Referable { by_name: all }
    }

    /// The one table that a column names, whose key is of its type: `host_id` is the `host` with that `id`.
    pub fn target<'a>(&self, schema: &'a Schema, table: &Table, column: &Column, prefix: Option<&str>) -> Option<&'a Table> {
        if !matches!(column.column_type.kind, Kind::Integer | Kind::Uuid | Kind::Text) || !says_id(&column.name) {
            return None;
        }
        let own = without_prefix(&column.name, prefix);
        let mut words = name::words(&own);
        words.retain(|word| word != "fk");
        let is_id = |word: Option<&String>| word.is_some_and(|w| w == "id");
        if is_id(words.last()) && words.len() > 1 {
            words.pop();
        } else if is_id(words.first()) && words.len() > 1 {
            words.remove(0);
        } else {
            // Written together: `hostid`.
            let last = words.last_mut()?;
            let stem = last.strip_suffix("id").filter(|stem| stem.len() > 2)?;
            *last = stem.to_owned();
        }
        let stem = called(words);
        let target = schema.tables.get((*self.by_name.get(&stem)?)?).filter(|t| !same(&t.name, &table.name))?;
        let [key] = target.primary_key.as_slice() else { return None };
        let key_words = name::words(&without_prefix(key, prefix_of(target).as_deref()));
        let named_so = same(key, &column.name) || key_words == ["id"] || called(key_words) == format!("{stem}id");
        let key = target.column(key).filter(|_| named_so)?;
        let alike = key.column_type.kind == column.column_type.kind
            && (key.column_type.kind != Kind::Text || key.column_type.size == column.column_type.size);
        alike.then_some(target)
    }
}

/// Whether a name may have `id` in one of its words. Most have not, and needn't be taken apart.
fn says_id(name: &str) -> bool {
    name.as_bytes().windows(2).any(|two| two.eq_ignore_ascii_case(b"id"))
}

fn by_name<'a>(tables: impl Iterator<Item = (usize, &'a [String])>) -> BTreeMap<String, Option<usize>> {
    let mut by_name = BTreeMap::new();
    for (at, words) in tables {
        by_name.entry(called(words.to_vec())).and_modify(|known| *known = None).or_insert(Some(at));
    }
    by_name
}

fn called(mut words: Vec<String>) -> String {
    if let Some(last) = words.last_mut() {
        *last = singular(last);
    }
    words.concat()
}
