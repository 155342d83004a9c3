//! SQLite: the stored statements tell tables and indexes where they are written plainly; where not, pragmas tell columns and keys, and
//! the statements what they leave out.
//!
//! The file is opened read-only, so that what is still in the write-ahead file is seen and nothing can be written
//! (`file.rs`). Double-quoted strings are off: a lost name in double quotes must not turn into a string.

#[cfg(test)]
mod agreement;
mod connection;
mod ddl;
mod file;
mod keys;
mod stored;
mod tokens;

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
use ysomorph_core::schema::{Column, ColumnType, Engine, Generated, Operation, Schema, Table, TableKind, Trigger, Unique};

/// Reads the schema of a database file.
pub fn read(path: &Path) -> Result<Schema, SourceError> {
    look(path, |looked| {
        let failed = |error: rusqlite::Error| SourceError::Read { path: path.to_owned(), reason: plain(&error) };
        let mut connection = looked.connect()?;
        let mut schema = read_from(&connection).map_err(failed)?;
        view_reads(&mut connection, &mut schema).map_err(failed)?;
        schema.unseen = unread(&connection).map_err(failed)?;
        Ok(schema)
    })
}

/// The tables that aren't read because of their names.
fn unread(connection: &Connection) -> rusqlite::Result<Vec<String>> {
    let mut statement =
        connection.prepare("SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') AND instr(name, char(31)) ORDER BY name")?;
    let names = statement.query_map([], |row| row.get::<_, String>(0))?;
    names.map(|name| Ok(format!("`{}` isn't read: its name has the control character U+001F in it", name::plain(&name?)))).collect()
}

/// Reads the schema over a connection prepared by [`prepare_connection`], in one read transaction.
pub fn read_from(connection: &Connection) -> rusqlite::Result<Schema> {
    read_by(connection, true)
}

/// The same; `stored` says whether plain statements are read, or pragmas asked for everything.
fn read_by(connection: &Connection, stored: bool) -> rusqlite::Result<Schema> {
    let transaction = connection.unchecked_transaction()?;
    let reader = Reader { connection: &transaction, stored, tables: BTreeMap::new(), left: BTreeMap::new() };
    let tables = reader.read()?;
    transaction.finish()?;
    Ok(Schema::new(Engine::Sqlite, tables))
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
    /// Whether plain statements are read.
    stored: bool,
    tables: BTreeMap<String, Table>,
    /// The statements of tables that the pragmas have to tell.
    left: BTreeMap<String, String>,
}

impl Reader<'_> {
    fn read(mut self) -> rusqlite::Result<Vec<Table>> {
        self.tables()?;
        self.columns()?;
        let indexed = self.indexes()?;
        self.triggers()?;
        let mut keys = Keys::read(self.connection, &self.left, &indexed)?;
        let mut tables: Vec<Table> = self.tables.into_values().collect();
        tables.iter_mut().for_each(|table| keys.give(table));
        Ok(tables)
    }

    fn tables(&mut self) -> rusqlite::Result<()> {
        let mut statement = self.connection.prepare(
            "SELECT name, type, sql FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\'",
        )?;
        let mut rows = statement.query([])?;
        let mut types = BTreeMap::new();
        let mut has_virtual = false;
        while let Some(row) = rows.next()? {
            let name: String = row.get(0)?;
            // It could be taken for a table of another schema; that it isn't read is told at the end.
            if name.contains(name::SEPARATOR) {
                continue;
            }
            let sql = row.get_ref(2)?.as_str_or_null()?.unwrap_or_default();
            if row.get_ref(1)?.as_str()? == "view" {
                let definition = Some(ddl::view_select(sql).to_owned());
                // Nothing of it is stored, so it has no numbers of rows.
                let table = Table { name: name.clone(), kind: TableKind::View, without_rowid: true, definition, ..Table::default() };
                self.tables.insert(name, table);
                continue;
            }
            if let Some(mut table) = Some(sql).filter(|_| self.stored).and_then(|sql| stored::table(&name, sql, &mut types)) {
                number_rows(&mut table);
                self.tables.insert(name, table);
                continue;
            }
            has_virtual |= ddl::is_virtual(sql);
            let (strict, without_rowid) = ddl::ending(sql);
            self.left.insert(name.clone(), sql.to_owned());
            self.tables.insert(name.clone(), Table { name, strict, without_rowid, ..Table::default() });
        }
        if has_virtual {
            // Only the list knows which tables a virtual one keeps for itself.
            let mut statement = self.connection.prepare("SELECT name FROM pragma_table_list WHERE schema = 'main' AND type = 'shadow'")?;
            for shadow in statement.query_map([], |row| row.get::<_, String>(0))? {
                let shadow = shadow?;
                self.left.remove(&shadow);
                self.tables.remove(&shadow);
            }
        }
        Ok(())
    }

    fn columns(&mut self) -> rusqlite::Result<()> {
        let mut types = BTreeMap::new();
        for (name, sql) in &self.left {
            if let Some(table) = self.tables.get_mut(name) {
                read_columns(self.connection, table, sql, &mut types)?;
            }
        }
        for (view, table) in self.tables.iter_mut().filter(|(_, table)| table.kind == TableKind::View) {
            // A view over something gone can't even tell its columns; the others must not suffer for it.
            let readable = self.connection.prepare(&format!("SELECT * FROM {}", name::quoted(view))).map(|_| ());
            let read = readable.and_then(|()| read_columns(self.connection, table, "", &mut types));
            if let Err(error) = read {
                table.broken = Some(plain(&error));
                table.columns.clear();
            }
        }
        Ok(())
    }

    /// Gives tables their indexes, and tells which of them have indexes that the pragmas have to tell.
    fn indexes(&mut self) -> rusqlite::Result<BTreeSet<String>> {
        let mut left = BTreeSet::new();
        let mut statement = self.connection.prepare("SELECT name, tbl_name, sql FROM sqlite_schema WHERE type = 'index'")?;
        let mut rows = statement.query([])?;
        while let Some(row) = rows.next()? {
            let table = row.get_ref(1)?.as_str()?;
            let Some(table) = self.tables.get_mut(table) else { continue };
            if self.left.contains_key(&table.name) {
                left.insert(table.name.clone());
                continue;
            }
            // What has no statement comes from a key of the table.
            let Some(sql) = row.get_ref(2)?.as_str_or_null()? else { continue };
            match stored::index(row.get_ref(0)?.as_str()?, sql, table) {
                Some(index) if index.unique => {
                    table
                        .uniques
                        .push(Unique { columns: index.parts.into_iter().filter_map(|part| part.column).collect(), ..Unique::default() });
                }
                Some(index) => table.indexes.push(index),
                None => drop(left.insert(table.name.clone())),
            }
        }
        for table in &left {
            if let Some(table) = self.tables.get_mut(table) {
                table.indexes.clear();
            }
        }
        Ok(left)
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
    number_rows(table);
    Ok(())
}

/// A key of one whole number is the number of the row.
fn number_rows(table: &mut Table) {
    if let [only] = table.primary_key.as_slice()
        && let Some(column) = table.columns.iter_mut().find(|c| c.name == *only)
    {
        column.auto = !table.without_rowid && column.column_type.original.eq_ignore_ascii_case("integer");
        // It is never NULL, whatever was declared.
        column.nullable &= !column.auto;
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
