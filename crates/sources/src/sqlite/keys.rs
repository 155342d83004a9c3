//! Keys, indexes and constraints: read apart from the columns, so that both can be read at the same time.

use super::ddl;
use rusqlite::Connection;
use std::collections::BTreeMap;
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

/// The keys and indexes of all tables, by table.
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
    pub fn read(connection: &Connection) -> rusqlite::Result<Keys> {
        let mut keys = Keys::default();
        keys.read_foreign_keys(connection)?;
        keys.read_indexes(connection)?;
        keys.read_statements(connection)?;
        Ok(keys)
    }

    fn read_foreign_keys(&mut self, connection: &Connection) -> rusqlite::Result<()> {
        let mut keys: BTreeMap<String, (BTreeMap<i64, ForeignKey>, String)> = BTreeMap::new();
        let tables = "SELECT name, CASE WHEN sql LIKE '%defer%' THEN sql ELSE '' END FROM sqlite_schema WHERE type = 'table' AND sql LIKE '%references%'";
        let mut statement = connection.prepare(tables)?;
        let mut tables = statement.query([])?;
        while let Some(table) = tables.next()? {
            let name: String = table.get(0)?;
            let mut of_table: BTreeMap<i64, ForeignKey> = BTreeMap::new();
            // id, seq, table, from, to, on_update, on_delete
            let mut statement = connection.prepare(&format!("PRAGMA foreign_key_list({})", name::quoted(&name)))?;
            let mut rows = statement.query([])?;
            while let Some(row) = rows.next()? {
                let action = |text: String| (text != "NO ACTION").then_some(text);
                let key = of_table.entry(row.get(0)?).or_insert(ForeignKey {
                    table: row.get(2)?,
                    on_delete: action(row.get(6)?),
                    on_update: action(row.get(5)?),
                    ..ForeignKey::default()
                });
                key.columns.push(row.get(3)?);
                key.to.extend(row.get::<_, Option<String>>(4)?);
            }
            keys.insert(name, (of_table, table.get(1)?));
        }
        for (table, (keys, sql)) in keys {
            let deferred = ddl::deferred_references(&sql);
            // The pragma counts from the last key declared to the first.
            let count = keys.len();
            let told = keys.into_iter().map(|(id, key)| {
                let place = usize::try_from(id).ok().and_then(|id| count.checked_sub(id + 1));
                let (deferrable, deferred) = place.and_then(|p| deferred.get(p)).copied().unwrap_or_default();
                ForeignKey { deferrable, deferred, ..key }
            });
            let mut told: Vec<ForeignKey> = told.collect();
            told.sort();
            self.foreign_keys.insert(table, told);
        }
        Ok(())
    }

    /// What only the statements tell.
    fn read_statements(&mut self, connection: &Connection) -> rusqlite::Result<()> {
        let mut statement = connection.prepare(
            "SELECT name, sql FROM sqlite_schema WHERE type = 'table' AND (sql LIKE '%check%' OR sql LIKE '%conflict%' OR sql LIKE '%autoincrement%')",
        )?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let sql = row.get_ref(1)?.as_str()?;
            self.told.insert(row.get(0)?, (ddl::checks(sql), ddl::options(sql)));
        }
        Ok(())
    }

    fn read_indexes(&mut self, connection: &Connection) -> rusqlite::Result<()> {
        let mut statement = connection.prepare("SELECT DISTINCT tbl_name FROM sqlite_schema WHERE type = 'index'")?;
        let mut tables = statement.query([])?;
        while let Some(table) = tables.next()? {
            let table: String = table.get(0)?;
            let mut of_table = Vec::new();
            // seq, name, unique, origin, partial
            let mut statement = connection.prepare(&format!("PRAGMA index_list({})", name::quoted(&table)))?;
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
            self.indexes.insert(table, of_table);
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
        (table.checks, table.options) = self.told.remove(&table.name).unwrap_or_default();
        table.foreign_keys = self.foreign_keys.remove(&table.name).unwrap_or_default();
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
