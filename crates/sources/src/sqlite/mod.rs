//! SQLite: pragmas tell columns and keys, the stored SQL tells what they leave out.
//!
//! The file is opened read-only, so that what is still in the write-ahead file is seen and nothing can be written
//! (`file.rs`). Double-quoted strings are off: a lost name in double quotes must not turn into a string.

mod connection;
mod ddl;
mod file;
mod keys;

use crate::SourceError;
pub use connection::prepare_connection;
pub(crate) use connection::{bind, plain, refused, text_at};
pub(crate) use file::{Looked, look};
use keys::Keys;
use rusqlite::Connection;
use rusqlite::config::DbConfig;
use rusqlite::hooks::{AuthAction, AuthContext, Authorization};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use std::sync::{Arc, Mutex};
use ysomorph_core::name;
use ysomorph_core::schema::{Column, ColumnType, Engine, Generated, Operation, Schema, Table, TableKind, Trigger};

/// Reads the schema of a database file: keys and indexes over a second connection at the same time, as columns take
/// about as long.
pub fn read(path: &Path) -> Result<Schema, SourceError> {
    look(path, |looked| read_whole(looked, path))
}

fn read_whole(looked: &Looked, path: &Path) -> Result<Schema, SourceError> {
    let failed = |error: rusqlite::Error| SourceError::Read { path: path.to_owned(), reason: plain(&error) };
    let keys = || -> Result<(i64, Keys), SourceError> {
        let connection = looked.connect()?;
        let read = || -> rusqlite::Result<(i64, Keys)> {
            let transaction = connection.unchecked_transaction()?;
            Ok((version(&transaction)?, Keys::read(&transaction)?))
        };
        read().map_err(failed)
    };
    let (mut connection, tables, keys) = std::thread::scope(|scope| -> Result<_, SourceError> {
        let keys = scope.spawn(keys);
        let connection = looked.connect()?;
        let read = || -> rusqlite::Result<(i64, BTreeMap<String, Table>)> {
            let transaction = connection.unchecked_transaction()?;
            Ok((version(&transaction)?, Reader::of(&transaction).read()?))
        };
        let tables = read();
        Ok((connection, tables, keys.join().unwrap_or_else(|panic| std::panic::resume_unwind(panic))))
    })?;
    let mut schema = match (tables, keys) {
        (Ok((version, tables)), Ok((same, keys))) if version == same => finished(tables, keys),
        // It changed meanwhile: once more, one after the other.
        _ => read_from(&connection).map_err(failed)?,
    };
    view_reads(&mut connection, &mut schema).map_err(failed)?;
    schema.unseen = unread(&connection).map_err(failed)?;
    Ok(schema)
}

/// The tables that aren't read because of their names.
fn unread(connection: &Connection) -> rusqlite::Result<Vec<String>> {
    let mut statement =
        connection.prepare("SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') AND instr(name, char(31)) ORDER BY name")?;
    let names = statement.query_map([], |row| row.get::<_, String>(0))?;
    names.map(|name| Ok(format!("`{}` isn't read: its name has the control character U+001F in it", name::plain(&name?)))).collect()
}

/// A number that moves with every change of the schema.
fn version(connection: &Connection) -> rusqlite::Result<i64> {
    connection.query_row("PRAGMA schema_version", [], |row| row.get(0))
}

/// Reads the schema over a connection prepared by [`prepare_connection`], in one read transaction.
pub fn read_from(connection: &Connection) -> rusqlite::Result<Schema> {
    let transaction = connection.unchecked_transaction()?;
    let tables = Reader::of(&transaction).read()?;
    let keys = Keys::read(&transaction)?;
    transaction.finish()?;
    Ok(finished(tables, keys))
}

fn finished(tables: BTreeMap<String, Table>, mut keys: Keys) -> Schema {
    let mut tables: Vec<Table> = tables.into_values().collect();
    tables.iter_mut().for_each(|table| keys.give(table));
    Schema::new(Engine::Sqlite, tables)
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
        if let Some(table) = schema.tables.named_mut(view) {
            table.reads = reads;
        }
    }
    connection.authorizer(None::<fn(AuthContext<'_>) -> Authorization>)
}

struct Reader<'a> {
    connection: &'a Connection,
    tables: BTreeMap<String, Table>,
    sql: BTreeMap<String, String>,
}

impl<'a> Reader<'a> {
    fn of(connection: &'a Connection) -> Reader<'a> {
        Reader { connection, tables: BTreeMap::new(), sql: BTreeMap::new() }
    }

    /// Tables with their columns and triggers; keys and indexes come apart.
    fn read(mut self) -> rusqlite::Result<BTreeMap<String, Table>> {
        self.tables()?;
        self.columns()?;
        self.triggers()?;
        Ok(self.tables)
    }

    fn tables(&mut self) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare(
            "SELECT name, type, sql FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'",
        )?;
        let mut rows = statement.query([])?;
        let mut has_virtual = false;
        while let Some(row) = rows.next()? {
            let (name, kind, sql): (String, String, String) =
                (row.get(0)?, row.get(1)?, row.get::<_, Option<String>>(2)?.unwrap_or_default());
            // It could be taken for a table of another schema; that it isn't read is told at the end.
            if name.contains(name::SEPARATOR) {
                continue;
            }
            let view = kind == "view";
            has_virtual |= !view && ddl::is_virtual(&sql);
            let (strict, without_rowid) = if view { (false, true) } else { ddl::ending(&sql) };
            let table = Table {
                name: name.clone(),
                kind: if view { TableKind::View } else { TableKind::Table },
                strict,
                without_rowid,
                definition: view.then(|| ddl::view_select(&sql).to_owned()),
                ..Table::default()
            };
            self.sql.insert(name.clone(), sql);
            self.tables.insert(name, table);
        }
        if has_virtual {
            // Only the list knows which tables a virtual one keeps for itself.
            let mut statement = self.connection.prepare("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'shadow'")?;
            for shadow in statement.query_map([], |row| row.get::<_, String>(0))? {
                self.tables.remove(&shadow?);
            }
        }
        Ok(())
    }

    fn columns(&mut self) -> rusqlite::Result<()> {
        let mut types = BTreeMap::new();
        for (name, table) in self.tables.iter_mut().filter(|(_, t)| t.kind == TableKind::Table) {
            let sql = self.sql.get(name).map_or("", String::as_str);
            read_columns(self.connection, table, sql, &mut types)?;
        }
        let views: Vec<String> = self.tables.values().filter(|t| t.kind == TableKind::View).map(|t| t.name.clone()).collect();
        for view in views {
            // A view over something gone can't even tell its columns; the others must not suffer for it.
            let readable = self.connection.prepare(&format!("SELECT * FROM {}", name::quoted(&view))).map(|_| ());
            let Some(table) = self.tables.get_mut(&view) else { continue };
            let read = readable.and_then(|()| read_columns(self.connection, table, "", &mut types));
            if let Err(error) = read {
                table.broken = Some(plain(&error));
                table.columns.clear();
            }
        }
        Ok(())
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

/// Reads a table's columns and primary key. `types` are the declarations met before: most tables use the same few.
fn read_columns(connection: &Connection, table: &mut Table, sql: &str, types: &mut BTreeMap<String, ColumnType>) -> rusqlite::Result<()> {
    let mut statement = connection.prepare(&format!("PRAGMA table_xinfo({})", name::quoted(&table.name)))?;
    let mut rows = statement.query([])?;
    let mut key: Vec<(i64, String)> = Vec::new();
    // Most tables have no collation: looking for the word costs less than reading the statement.
    let collated = ddl::contains_word(sql, "collate");
    while let Some(row) = rows.next()? {
        let column: String = row.get(1)?;
        let declared = row.get_ref(2)?.as_str_or_null()?.unwrap_or_default();
        let (key_place, hidden): (i64, i64) = (row.get(5)?, row.get(6)?);
        if hidden == 1 {
            continue;
        }
        if key_place > 0 {
            key.push((key_place, column.clone()));
        }
        let declared = declared.strip_suffix(" GENERATED ALWAYS").unwrap_or(declared);
        if !types.contains_key(declared) {
            types.insert(declared.to_owned(), ColumnType::from_declaration(declared, false));
        }
        let mut column_type = types.get(declared).cloned().unwrap_or_default();
        column_type.enforced = table.strict;
        let generated = (hidden == 2 || hidden == 3)
            .then(|| Generated { expression: ddl::generated_expression(sql, &column).unwrap_or_default(), stored: hidden == 3 });
        table.columns.push(Column {
            column_type,
            nullable: !row.get::<_, bool>(3)?,
            collation: if collated { ddl::collation(sql, &column) } else { None },
            default: row.get::<_, Option<String>>(4)?.filter(|_| generated.is_none()).filter(|d| !d.eq_ignore_ascii_case("null")),
            generated,
            name: column,
            ..Column::default()
        });
    }
    key.sort();
    table.primary_key = key.into_iter().map(|(_, column)| column).collect();
    if let [only] = table.primary_key.as_slice()
        && let Some(column) = table.columns.iter_mut().find(|c| c.name == *only)
    {
        column.auto = !table.without_rowid && column.column_type.original.eq_ignore_ascii_case("integer");
        // The row number is never NULL, whatever was declared.
        column.nullable &= !column.auto;
    }
    Ok(())
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
