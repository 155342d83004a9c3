//! Keys, indexes and constraints as the pragmas tell them, of tables whose statements aren't read.

use super::ddl;
use rusqlite::Connection;
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::name;
use ysomorph_core::schema::{Check, ForeignKey, Index, IndexPart, Table, Unique};

/// An index as pragmas tell it.
struct Raw {
    index: Index,
    /// Whether it is over all records.
    whole: bool,
    /// The collation of each part.
    collations: Vec<String>,
}

/// Keys and indexes, by table.
#[derive(Default)]
pub(super) struct Keys {
    foreign_keys: BTreeMap<String, Vec<ForeignKey>>,
    indexes: BTreeMap<String, Vec<Raw>>,
    /// Statements of indexes that pragmas don't tell in full.
    texts: BTreeMap<String, String>,
    /// Checks and options, by table.
    told: BTreeMap<String, (Vec<Check>, Vec<String>)>,
}

impl Keys {
    /// Those of tables by their statements, and the indexes of these.
    pub fn read(connection: &Connection, tables: &BTreeMap<String, String>, indexed: &BTreeSet<String>) -> rusqlite::Result<Keys> {
        let mut keys = Keys::default();
        for (table, sql) in tables {
            if ddl::contains_word(sql, "references") {
                keys.foreign_keys.insert(table.clone(), foreign_keys(connection, table, sql)?);
            }
            keys.told.insert(table.clone(), (ddl::checks(sql), ddl::options(sql)));
        }
        keys.read_indexes(connection, indexed)?;
        Ok(keys)
    }

    fn read_indexes(&mut self, connection: &Connection, indexed: &BTreeSet<String>) -> rusqlite::Result<()> {
        for table in indexed {
            let mut of_table = Vec::new();
            // seq, name, unique, origin, partial
            let mut statement = connection.prepare(&format!("PRAGMA index_list({})", name::quoted(table)))?;
            let mut rows = statement.query([])?;
            while let Some(row) = rows.next()? {
                let (name, origin): (String, String) = (row.get(1)?, row.get(3)?);
                if origin == "pk" {
                    continue;
                }
                let whole = origin == "u" || !row.get::<_, bool>(4)?;
                let mut raw = Raw { index: Index { name, unique: row.get(2)?, ..Index::default() }, whole, collations: Vec::new() };
                // seqno, cid, name, desc, coll, key
                let mut statement = connection.prepare(&format!("PRAGMA index_xinfo({})", name::quoted(&raw.index.name)))?;
                let mut parts = statement.query([])?;
                while let Some(part) = parts.next()? {
                    if part.get::<_, bool>(5)? {
                        let order = part.get::<_, bool>(3)?.then(|| "desc".to_owned());
                        raw.index.parts.push(IndexPart { column: part.get(2)?, expression: None, order });
                        raw.collations.push(part.get::<_, Option<String>>(4)?.unwrap_or_default());
                    }
                }
                of_table.push(raw);
            }
            self.indexes.insert(table.clone(), of_table);
        }
        let told = |raw: &Raw| raw.whole && raw.index.parts.iter().all(|p| p.column.is_some());
        if !self.indexes.values().flatten().all(told) {
            let mut statement = connection.prepare("SELECT name, sql FROM sqlite_schema WHERE type = 'index' AND sql IS NOT NULL")?;
            self.texts = statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect::<rusqlite::Result<_>>()?;
        }
        Ok(())
    }

    /// Gives a table its keys and indexes.
    pub fn give(&mut self, table: &mut Table) {
        if let Some((checks, options)) = self.told.remove(&table.name) {
            (table.checks, table.options) = (checks, options);
            table.foreign_keys = self.foreign_keys.remove(&table.name).unwrap_or_default();
        }
        for mut raw in self.indexes.remove(&table.name).unwrap_or_default() {
            let columns: Option<Vec<String>> = raw.index.parts.iter().map(|p| p.column.clone()).collect();
            if let Some(columns) = columns.filter(|_| raw.index.unique && raw.whole) {
                table.uniques.push(Unique { columns, ..Unique::default() });
                continue;
            }
            for (part, collation) in raw.index.parts.iter_mut().zip(&raw.collations) {
                // A part sorts as its column does unless it says otherwise.
                let usual = part.column.as_deref().and_then(|c| table.column(c)?.collation.as_deref()).unwrap_or("BINARY");
                if !collation.eq_ignore_ascii_case(usual) {
                    let desc = part.order.take().map_or_else(String::new, |order| format!(" {order}"));
                    part.order = Some(format!("collate {collation}{desc}"));
                }
            }
            if let Some(text) = self.texts.get(&raw.index.name) {
                let (parts, condition) = ddl::index_parts(text);
                for (part, written) in raw.index.parts.iter_mut().zip(parts) {
                    part.expression = part.column.is_none().then_some(written);
                }
                raw.index.condition = condition;
            }
            table.indexes.push(raw.index);
        }
        table.uniques.sort();
        table.uniques.dedup();
        table.indexes.sort();
    }
}

/// The foreign keys of a table.
fn foreign_keys(connection: &Connection, table: &str, sql: &str) -> rusqlite::Result<Vec<ForeignKey>> {
    let mut keys: BTreeMap<i64, ForeignKey> = BTreeMap::new();
    // id, seq, table, from, to, on_update, on_delete
    let mut statement = connection.prepare(&format!("PRAGMA foreign_key_list({})", name::quoted(table)))?;
    let mut rows = statement.query([])?;
    while let Some(row) = rows.next()? {
        let action = |text: String| (text != "NO ACTION").then_some(text);
        let key = keys.entry(row.get(0)?).or_insert(ForeignKey {
            table: row.get(2)?,
            on_delete: action(row.get(6)?),
            on_update: action(row.get(5)?),
            ..ForeignKey::default()
        });
        key.columns.push(row.get(3)?);
        key.to.extend(row.get::<_, Option<String>>(4)?);
    }
    let deferred = ddl::deferred_references(sql);
    // The pragma counts from the last key declared to the first.
    let count = keys.len();
    let told = keys.into_iter().map(|(id, key)| {
        let place = usize::try_from(id).ok().and_then(|id| count.checked_sub(id + 1));
        let (deferrable, deferred) = place.and_then(|p| deferred.get(p)).copied().unwrap_or_default();
        ForeignKey { deferrable, deferred, ..key }
    });
    let mut told: Vec<ForeignKey> = told.collect();
    told.sort();
    Ok(told)
}
