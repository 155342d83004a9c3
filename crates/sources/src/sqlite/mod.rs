//! SQLite: pragmas tell columns and keys, the stored SQL tells what they leave out.
//!
//! The file is opened with `mode=ro`, so that what is still in the write-ahead file is seen and nothing can
//! be written. Double-quoted strings are off: a lost name in double quotes must not turn into a string.

mod ddl;

use crate::SourceError;
use rusqlite::config::DbConfig;
use rusqlite::hooks::{AuthAction, AuthContext, Authorization};
use rusqlite::{Connection, OpenFlags};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use ysomorph_core::name;
use ysomorph_core::schema::{
    Column, ColumnType, Engine, ForeignKey, Generated, Index, IndexPart, Operation, Schema, Table, TableKind, Trigger, Unique,
};

/// Opens a database for looking only. Statements can be prepared, also ones that would write; none could run.
pub fn open(path: &Path) -> Result<Connection, SourceError> {
    let failed = |reason: String| SourceError::Open { path: path.to_owned(), reason };
    if !path.exists() {
        return Err(failed("there is no such file".into()));
    }
    if path.is_dir() {
        return Err(failed("it is a folder".into()));
    }
    let connect = || -> rusqlite::Result<Connection> {
        let connection = Connection::open_with_flags(path, OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
        connection.busy_timeout(Duration::from_secs(5))?;
        prepare_connection(&connection)?;
        connection.query_row("SELECT count(*) FROM sqlite_schema", [], |_| Ok(()))?;
        Ok(connection)
    };
    connect().map_err(|error| failed(plain(&error)))
}

/// Switches double-quoted strings off and foreign keys on, as the application would run.
pub fn prepare_connection(connection: &Connection) -> rusqlite::Result<()> {
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DQS_DML, false)?;
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_DQS_DDL, false)?;
    connection.pragma_update(None, "foreign_keys", true)
}

/// Reads the schema of a database file.
pub fn read(path: &Path) -> Result<Schema, SourceError> {
    let mut connection = open(path)?;
    let read = read_from(&connection).and_then(|mut schema| view_reads(&mut connection, &mut schema).map(|()| schema));
    read.map_err(|error| SourceError::Read { path: path.to_owned(), reason: plain(&error) })
}

/// The columns each view reads, as the database itself asks for leave to read them.
fn view_reads(connection: &mut Connection, schema: &mut Schema) -> rusqlite::Result<()> {
    let views: Vec<String> =
        schema.tables.iter().filter(|t| t.kind == TableKind::View && t.broken.is_none()).map(|t| t.name.clone()).collect();
    if views.is_empty() {
        return Ok(());
    }
    let asked: Arc<Mutex<BTreeSet<(String, String)>>> = Arc::default();
    let noted = Arc::clone(&asked);
    connection.authorizer(Some(move |context: AuthContext<'_>| {
        if let AuthAction::Read { table_name, column_name } = context.action
            && let Ok(mut asked) = noted.lock()
        {
            asked.insert((table_name.to_owned(), column_name.to_owned()));
        }
        Authorization::Allow
    }))?;
    for view in &views {
        if let Ok(mut asked) = asked.lock() {
            asked.clear();
        }
        let _ = connection.prepare(&format!("SELECT * FROM {}", name::quoted(view)));
        let read = asked.lock().map(|a| a.clone()).unwrap_or_default();
        let known = read.into_iter().filter(|(table, column)| {
            !name::same(table, view) && schema.table(table).is_some_and(|t| t.kind == TableKind::Table && t.column(column).is_some())
        });
        let reads: Vec<String> = known.map(|(table, column)| name::dotted(&table, &column)).collect();
        if let Some(table) = schema.tables.iter_mut().find(|t| t.name == *view) {
            table.reads = reads;
        }
    }
    connection.authorizer(None::<fn(AuthContext<'_>) -> Authorization>)
}

/// Reads the schema over a connection prepared by [`open`] or [`prepare_connection`], in one read transaction.
pub fn read_from(connection: &Connection) -> rusqlite::Result<Schema> {
    let transaction = connection.unchecked_transaction()?;
    let mut reader = Reader { connection: &transaction, tables: BTreeMap::new(), sql: BTreeMap::new() };
    reader.tables()?;
    reader.columns()?;
    reader.foreign_keys()?;
    reader.indexes()?;
    reader.triggers()?;
    let tables = reader.tables.into_values().collect();
    transaction.finish()?;
    Ok(Schema::new(Engine::Sqlite, tables))
}

fn plain(error: &rusqlite::Error) -> String {
    match error {
        rusqlite::Error::SqliteFailure(_, Some(message)) => message.clone(),
        other => other.to_string(),
    }
}

struct Reader<'a> {
    connection: &'a Connection,
    tables: BTreeMap<String, Table>,
    sql: BTreeMap<String, String>,
}

const OWN_TABLES: &str = "SELECT l.name FROM pragma_table_list l WHERE l.schema = 'main' AND l.type IN ('table', 'virtual') AND l.name NOT LIKE 'sqlite\\_%' ESCAPE '\\'";

impl Reader<'_> {
    fn tables(&mut self) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare(
            "SELECT l.name, l.type, l.wr, l.strict, s.sql FROM pragma_table_list l JOIN sqlite_schema s ON s.name = l.name AND s.type IN ('table', 'view')
             WHERE l.schema = 'main' AND l.type IN ('table', 'virtual', 'view') AND l.name NOT LIKE 'sqlite\\_%' ESCAPE '\\'",
        )?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let (name, kind, sql): (String, String, String) =
                (row.get(0)?, row.get(1)?, row.get::<_, Option<String>>(4)?.unwrap_or_default());
            let view = kind == "view";
            let mut table = Table {
                name: name.clone(),
                kind: if view { TableKind::View } else { TableKind::Table },
                strict: row.get(3)?,
                without_rowid: row.get(2)?,
                ..Table::default()
            };
            if view {
                table.definition = Some(ddl::view_select(&sql).to_owned());
            } else {
                table.checks = ddl::checks(&sql);
                table.options = ddl::options(&sql);
            }
            self.sql.insert(name.clone(), sql);
            self.tables.insert(name, table);
        }
        Ok(())
    }

    fn columns(&mut self) -> rusqlite::Result<()> {
        let tables = format!(
            "SELECT t.name, x.name, x.type, x.\"notnull\", x.dflt_value, x.pk, x.hidden FROM ({OWN_TABLES}) t, pragma_table_xinfo(t.name) x ORDER BY t.name, x.cid"
        );
        self.read_columns(&tables, [])?;
        let views: Vec<String> = self.tables.values().filter(|t| t.kind == TableKind::View).map(|t| t.name.clone()).collect();
        for view in views {
            // A view over something gone can't even tell its columns; the others must not suffer for it.
            let one = "SELECT ?1, x.name, x.type, x.\"notnull\", x.dflt_value, x.pk, x.hidden FROM pragma_table_xinfo(?1) x ORDER BY x.cid";
            let readable = self.connection.prepare(&format!("SELECT * FROM {}", name::quoted(&view))).map(|_| ());
            let read = readable.and_then(|()| self.read_columns(one, [&view]));
            if let (Err(error), Some(table)) = (read, self.tables.get_mut(&view)) {
                table.broken = Some(plain(&error));
                table.columns.clear();
            }
        }
        Ok(())
    }

    fn read_columns(&mut self, sql: &str, parameters: impl rusqlite::Params) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare(sql)?;
        let mut rows = statement.query(parameters)?;
        let mut keys: BTreeMap<String, Vec<(i64, String)>> = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let (table_name, column): (String, String) = (row.get(0)?, row.get(1)?);
            let declared: String = row.get::<_, Option<String>>(2)?.unwrap_or_default();
            let (key_place, hidden): (i64, i64) = (row.get(5)?, row.get(6)?);
            if key_place > 0 {
                keys.entry(table_name.clone()).or_default().push((key_place, column.clone()));
            }
            let Some(table) = self.tables.get_mut(&table_name) else { continue };
            let declared = declared.strip_suffix(" GENERATED ALWAYS").unwrap_or(&declared).to_owned();
            let sql = self.sql.get(&table_name).map_or("", String::as_str);
            let generated = (hidden == 2 || hidden == 3)
                .then(|| Generated { expression: ddl::generated_expression(sql, &column).unwrap_or_default(), stored: hidden == 3 });
            if hidden == 1 {
                continue;
            }
            table.columns.push(Column {
                column_type: ColumnType::from_declaration(&declared, false),
                nullable: !row.get::<_, bool>(3)?,
                collation: ddl::collation(sql, &column),
                default: row.get::<_, Option<String>>(4)?.filter(|_| generated.is_none()).filter(|d| !d.eq_ignore_ascii_case("null")),
                generated,
                name: column,
                ..Column::default()
            });
        }
        for (table_name, mut columns) in keys {
            let Some(table) = self.tables.get_mut(&table_name) else { continue };
            columns.sort();
            table.primary_key = columns.into_iter().map(|(_, column)| column).collect();
            let (strict, rowid) = (table.strict, !table.without_rowid);
            if let [only] = table.primary_key.as_slice()
                && let Some(column) = table.columns.iter_mut().find(|c| c.name == *only)
            {
                column.auto = rowid && column.column_type.original.eq_ignore_ascii_case("integer");
                // The row number is never NULL, whatever was declared.
                column.nullable &= !column.auto;
            }
            for column in table.columns.iter_mut().filter(|_| strict) {
                column.column_type.enforced = true;
            }
        }
        Ok(())
    }

    fn foreign_keys(&mut self) -> rusqlite::Result<()> {
        let sql = format!(
            "SELECT t.name, f.id, f.\"table\", f.\"from\", f.\"to\", f.on_delete, f.on_update FROM ({OWN_TABLES}) t, pragma_foreign_key_list(t.name) f ORDER BY t.name, f.id, f.seq"
        );
        let mut statement = self.connection.prepare(&sql)?;
        let mut rows = statement.query([])?;
        let mut keys: BTreeMap<String, BTreeMap<i64, ForeignKey>> = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let action = |text: String| (text != "NO ACTION").then_some(text);
            let key = keys.entry(row.get(0)?).or_default().entry(row.get(1)?).or_insert(ForeignKey {
                columns: Vec::new(),
                table: row.get(2)?,
                to: Vec::new(),
                on_delete: action(row.get(5)?),
                on_update: action(row.get(6)?),
                ..ForeignKey::default()
            });
            key.columns.push(row.get(3)?);
            key.to.extend(row.get::<_, Option<String>>(4)?);
        }
        for (table_name, keys) in keys {
            let deferred = ddl::deferred_references(self.sql.get(&table_name).map_or("", String::as_str));
            let Some(table) = self.tables.get_mut(&table_name) else { continue };
            // The pragma counts from the last key declared to the first.
            let count = keys.len();
            table.foreign_keys = keys
                .into_iter()
                .map(|(id, key)| {
                    let place = usize::try_from(id).ok().and_then(|id| count.checked_sub(id + 1));
                    let (deferrable, deferred) = place.and_then(|p| deferred.get(p)).copied().unwrap_or_default();
                    ForeignKey { deferrable, deferred, ..key }
                })
                .collect();
            table.foreign_keys.sort();
        }
        Ok(())
    }

    fn indexes(&mut self) -> rusqlite::Result<()> {
        let sql = format!(
            "SELECT t.name, i.name, i.\"unique\", i.origin, i.partial, c.name, c.\"desc\", c.coll
             FROM ({OWN_TABLES}) t, pragma_index_list(t.name) i, pragma_index_xinfo(i.name) c
             WHERE i.origin <> 'pk' AND c.key = 1 ORDER BY t.name, i.name, c.seqno"
        );
        let mut statement = self.connection.prepare(&sql)?;
        let mut rows = statement.query([])?;
        let mut found: BTreeMap<(String, String), (Index, bool)> = BTreeMap::new();
        while let Some(row) = rows.next()? {
            let (table, name): (String, String) = (row.get(0)?, row.get(1)?);
            let (unique, partial): (bool, bool) = (row.get(2)?, row.get(4)?);
            let (index, _) = found.entry((table.clone(), name.clone())).or_insert_with(|| {
                (Index { name, unique, ..Index::default() }, row.get::<_, String>(3).is_ok_and(|o| o == "u") || !partial)
            });
            let column: Option<String> = row.get(5)?;
            let collation: String = row.get::<_, Option<String>>(7)?.unwrap_or_default();
            // A part sorts as its column does unless it says otherwise.
            let usual =
                self.tables.get(&table).and_then(|t| t.column(column.as_deref()?)?.collation.clone()).unwrap_or_else(|| "BINARY".into());
            let mut order = Vec::new();
            order.extend((!collation.eq_ignore_ascii_case(&usual)).then(|| format!("collate {collation}")));
            order.extend(row.get::<_, bool>(6)?.then(|| "desc".to_owned()));
            index.parts.push(IndexPart { column, expression: None, order: (!order.is_empty()).then(|| order.join(" ")) });
        }
        let texts = self.index_texts(&found)?;
        for ((table, name), (mut index, whole)) in found {
            let Some(table) = self.tables.get_mut(&table) else { continue };
            let columns: Option<Vec<String>> = index.parts.iter().map(|p| p.column.clone()).collect();
            match columns {
                Some(columns) if index.unique && whole => table.uniques.push(Unique { columns, ..Unique::default() }),
                _ => {
                    if let Some(text) = texts.get(&name) {
                        let (parts, condition) = ddl::index_parts(text);
                        for (part, written) in index.parts.iter_mut().zip(parts) {
                            part.expression = part.column.is_none().then_some(written);
                        }
                        index.condition = condition;
                    }
                    table.indexes.push(index);
                }
            }
        }
        for table in self.tables.values_mut() {
            table.uniques.sort();
            table.uniques.dedup();
            table.indexes.sort();
        }
        Ok(())
    }

    /// The statements of indexes that pragmas don't tell in full: over expressions, or over some records.
    fn index_texts(&self, found: &BTreeMap<(String, String), (Index, bool)>) -> rusqlite::Result<BTreeMap<String, String>> {
        if found.values().all(|(index, whole)| *whole && index.parts.iter().all(|p| p.column.is_some())) {
            return Ok(BTreeMap::new());
        }
        let mut statement = self.connection.prepare("SELECT name, sql FROM sqlite_schema WHERE type = 'index' AND sql IS NOT NULL")?;
        statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?.collect()
    }

    fn triggers(&mut self) -> rusqlite::Result<()> {
        let mut statement =
            self.connection.prepare("SELECT name, tbl_name, sql FROM sqlite_schema WHERE type = 'trigger' ORDER BY name")?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let (name, table, definition): (String, String, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
            let Some((operation, instead_of)) = ddl::trigger_event(&definition) else { continue };
            if let Some(table) = self.tables.values_mut().find(|t| name::same(&t.name, &table)) {
                table.triggers.push(Trigger { name, operations: vec![operation], instead_of, definition, off: false, broken: None });
            }
        }
        for table in self.tables.values_mut().filter(|t| !t.triggers.is_empty()) {
            for operation in [Operation::Insert, Operation::Update, Operation::Delete] {
                if !table.triggers.iter().any(|t| t.operations.contains(&operation)) {
                    continue;
                }
                if let Err(error) = compile_write(self.connection, table, operation) {
                    let message = plain(&error);
                    table.triggers.iter_mut().filter(|t| t.operations.contains(&operation)).for_each(|t| t.broken = Some(message.clone()));
                }
            }
        }
        Ok(())
    }
}

/// Prepares a write that fires the triggers, with foreign keys out of the way: whether the triggers compile is all that is asked.
fn compile_write(connection: &Connection, table: &Table, operation: Operation) -> rusqlite::Result<()> {
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_FKEY, false)?;
    let quoted = name::quoted(&table.name);
    let sql = match operation {
        Operation::Insert if table.kind == TableKind::View => format!("INSERT INTO {quoted} SELECT * FROM {quoted}"),
        Operation::Insert => format!("INSERT INTO {quoted} DEFAULT VALUES"),
        Operation::Delete => format!("DELETE FROM {quoted}"),
        Operation::Update => {
            let columns = table.columns.iter().filter(|c| c.generated.is_none());
            let sets: Vec<String> = columns.map(|c| format!("{0} = {0}", name::quoted(&c.name))).collect();
            format!("UPDATE {quoted} SET {}", sets.join(", "))
        }
    };
    let outcome = connection.prepare(&sql).map(|_| ());
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_FKEY, true)?;
    outcome
}

/// Makes or changes a database by a script, in one transaction: for demos. Everything else here only looks.
pub fn run_script(path: &Path, script: &str) -> Result<(), SourceError> {
    let run = || -> rusqlite::Result<()> {
        let connection = Connection::open(path)?;
        connection.pragma_update(None, "foreign_keys", false)?;
        connection.execute_batch(&format!("BEGIN;\n{script}\nCOMMIT;"))
    };
    run().map_err(|error| SourceError::Open { path: path.to_owned(), reason: plain(&error) })
}
