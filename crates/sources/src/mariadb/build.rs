//! The lists as the neutral model.

use super::ask::{Row, at, literal};
use super::lists::Lists;
use super::objects;
use super::types::{Declared, neutral};
use std::collections::{BTreeMap, BTreeSet};
use ysomorph_core::name;
use ysomorph_core::schema::{
    Check, Column, DefaultGrant, Engine, ForeignKey, Generated, Grant, Index, IndexPart, Objects, Operation, Schema, Table, TableKind,
    Trigger, Unique,
};
use ysomorph_core::sql::{self, Target};

/// Gathers the databases read.
pub(super) struct Builder {
    engine: Engine,
    home: String,
    tables: BTreeMap<String, Table>,
    outside: BTreeSet<String>,
    objects: Objects,
    unseen: Vec<String>,
}

impl Builder {
    pub fn new(engine: Engine, home: &str) -> Builder {
        Builder {
            engine,
            home: home.to_owned(),
            tables: BTreeMap::new(),
            outside: BTreeSet::new(),
            objects: Objects::default(),
            unseen: Vec::new(),
        }
    }

    /// Adds one database. What the user may not see in full is an error that says so.
    pub fn add(&mut self, schema: &str, lists: &Lists) -> Result<(), String> {
        let hidden = |what: &str, name: &str, right: &str| {
            format!("the {what} `{name}` can be seen, but not what it says: the user needs the right to it ({right})")
        };
        self.unseen.extend(lists.unseen.iter().cloned());
        let json: BTreeSet<(String, String)> = lists.checks.iter().filter_map(json_check).collect();
        self.tables(schema, lists)?;
        for row in &lists.views {
            if at(row, 1).is_empty() {
                return Err(hidden("view", at(row, 0), "GRANT SHOW VIEW"));
            }
            let text = self.without_database(schema, at(row, 1));
            if let Some(table) = self.table(schema, at(row, 0)) {
                table.definition = Some(text);
                // Through a join nothing can be deleted, and hardly anything inserted.
                let joins = at(row, 1).contains(" join ");
                table.takes = Some(match (at(row, 2), joins) {
                    ("YES", false) => vec![Operation::Insert, Operation::Update, Operation::Delete],
                    ("YES", true) => vec![Operation::Update],
                    _ => Vec::new(),
                });
                if at(row, 3) == "INVOKER" {
                    table.options.push("security invoker".to_owned());
                }
                if !matches!(at(row, 4), "" | "NONE") {
                    table.options.push(format!("{} check option", at(row, 4).to_lowercase()));
                }
            }
        }
        self.columns(schema, &lists.columns, &json);
        self.indexes(schema, &lists.statistics);
        self.foreign_keys(schema, lists);
        for row in lists.checks.iter().filter(|row| json_check(row).is_none()) {
            let expression = self.without_database(schema, at(row, 2));
            if let Some(table) = self.table(schema, at(row, 0)) {
                table.checks.push(Check { name: Some(at(row, 1).to_owned()), expression, not_valid: false });
            }
        }
        for row in &lists.triggers {
            let statement = self.without_database(schema, at(row, 4));
            let operation = match at(row, 3) {
                "INSERT" => Operation::Insert,
                "UPDATE" => Operation::Update,
                _ => Operation::Delete,
            };
            if let Some(table) = self.table(schema, at(row, 0)) {
                let definition = format!("{} {} FOR EACH ROW {statement}", at(row, 2), at(row, 3));
                table.triggers.push(Trigger {
                    name: at(row, 1).to_owned(),
                    operations: vec![operation],
                    instead_of: false,
                    definition,
                    off: false,
                    broken: None,
                });
            }
        }
        self.grants(schema, lists);
        for row in &lists.partitions {
            if let Some(table) = self.table(schema, at(row, 0)) {
                table.partitioned_by = Some(format!("{} ({})", at(row, 1).to_lowercase(), at(row, 2)));
                table.partitions.push(format!("{} {}", at(row, 3), at(row, 4)).trim_end().to_owned());
            }
        }
        let bodies = objects::add(&mut self.objects, &self.home, schema, lists);
        if !bodies.is_empty() {
            self.unseen.push(format!(
                "what the routines {} do can't be seen: only their definer and who may read mysql.proc see it",
                bodies.join(", ")
            ));
        }
        Ok(())
    }

    /// Database and name of each view.
    pub fn views(&self) -> Vec<(String, String)> {
        let views = self.tables.values().filter(|t| t.kind == TableKind::View);
        views
            .map(|t| {
                let (schema, own) = name::split_qualified(&t.name);
                (schema.unwrap_or(&self.home).to_owned(), own.to_owned())
            })
            .collect()
    }

    /// A view can't be read.
    pub fn broken(&mut self, schema: &str, view: &str, message: &str) {
        if let Some(table) = self.table(schema, view) {
            table.broken = Some(message.to_owned());
            table.columns.clear();
        }
    }

    pub fn finish(self) -> Schema {
        let mut tables: Vec<Table> = self.tables.into_values().collect();
        for table in &mut tables {
            table.foreign_keys.sort();
            table.uniques.sort();
            table.uniques.dedup();
            table.indexes.sort();
            table.checks.sort();
            table.triggers.sort_by(|a, b| a.name.cmp(&b.name));
            table.grants.sort();
        }
        let mut objects = self.objects;
        objects.routines.sort();
        objects.sequences.sort();
        objects.events.sort();
        objects.default_grants.sort();
        let mut schema = Schema::new(self.engine, tables);
        schema.outside = self.outside.into_iter().collect();
        schema.objects = objects;
        schema.unseen = self.unseen;
        let reads: Vec<(String, Vec<String>)> = schema
            .tables
            .iter()
            .filter_map(|table| Some((table.name.clone(), view_reads(&schema, table.definition.as_ref()?, &table.name))))
            .collect();
        for (view, reads) in reads {
            if let Some(table) = schema.tables.named_mut(&view) {
                table.reads = reads;
            }
        }
        schema
    }

    fn full_name(&self, schema: &str, own: &str) -> String {
        if schema == self.home { own.to_owned() } else { name::qualified(schema, own) }
    }

    fn table(&mut self, schema: &str, own: &str) -> Option<&mut Table> {
        let name = self.full_name(schema, own);
        self.tables.get_mut(&name)
    }

    fn without_database(&self, schema: &str, text: &str) -> String {
        objects::without_database(schema, text)
    }

    fn tables(&mut self, schema: &str, lists: &Lists) -> Result<(), String> {
        for row in &lists.tables {
            let (own, kind) = (at(row, 0), at(row, 1));
            if kind == "SEQUENCE" {
                continue;
            }
            let is_view = kind.ends_with("VIEW");
            let name = self.full_name(schema, own);
            let mut options = Vec::new();
            options.extend((!is_view && !matches!(at(row, 2), "" | "InnoDB")).then(|| format!("engine {}", at(row, 2))));
            options.extend((kind == "SYSTEM VERSIONED").then(|| "system versioned".to_owned()));
            // What Aria writes down of itself, and what is told elsewhere, isn't anybody's choice.
            let own = ["partitioned", "transactional=", "page_checksum=", "row_format=PAGE"];
            let unusual = at(row, 5).split_whitespace().filter(|o| !is_view && !own.iter().any(|known| o.starts_with(known)));
            options.extend(unusual.map(str::to_owned));
            let table = Table {
                schema: (schema != self.home).then(|| schema.to_owned()),
                name: name.clone(),
                kind: if is_view { TableKind::View } else { TableKind::Table },
                collation: row[3].clone().filter(|_| !is_view),
                comment: row[4].clone().filter(|c| !is_view && !c.is_empty()),
                options,
                ..Table::default()
            };
            self.tables.insert(name, table);
        }
        Ok(())
    }

    fn columns(&mut self, schema: &str, rows: &[Row], json: &BTreeSet<(String, String)>) {
        let maria = self.engine == Engine::Mariadb;
        for row in rows {
            let (own, column) = (at(row, 0), at(row, 2));
            let number = |place: usize| at(row, place).parse::<u32>().ok();
            let column_type = neutral(&Declared {
                spelled: at(row, 3),
                base: at(row, 4),
                length: at(row, 11).parse().ok(),
                precision: number(12),
                scale: number(13),
                fraction: number(14),
                json: json.contains(&(own.to_owned(), column.to_owned())),
            });
            let extra = at(row, 7).to_lowercase();
            let expression = row[10].as_deref().filter(|e| !e.is_empty()).map(|e| self.without_database(schema, e));
            let default = row[6].clone().filter(|_| expression.is_none()).filter(|d| !maria || d != "NULL").map(|default| {
                // MySQL gives the value, MariaDB its SQL.
                let is_text = column_type.is_text() || matches!(at(row, 4), "date" | "time" | "datetime" | "timestamp" | "enum" | "set");
                let written = maria || extra.contains("default_generated") || !is_text || default.starts_with("CURRENT_TIMESTAMP");
                if written { self.without_database(schema, &default) } else { literal(&default) }
            });
            let on_update = extra.split_once("on update ").map(|(_, what)| what.trim().to_owned());
            let Some(table) = self.table(schema, own) else { continue };
            let collation = row[8].clone().filter(|c| table.kind == TableKind::Table && table.collation.as_ref() != Some(c));
            let is_view = table.kind == TableKind::View;
            table.columns.push(Column {
                name: column.to_owned(),
                // What a view's columns say of NULL and defaults is the tables' affair.
                nullable: at(row, 5) == "YES" || is_view,
                default: default.filter(|_| !is_view),
                generated: expression
                    .map(|expression| Generated { expression, stored: extra.contains("stored") || extra.contains("persistent") }),
                auto: extra.contains("auto_increment"),
                always: false,
                on_update,
                collation: collation.filter(|_| column_type.kind != ysomorph_core::schema::Kind::Json),
                comment: row[9].clone().filter(|c| !c.is_empty()),
                column_type,
            });
        }
    }

    fn indexes(&mut self, schema: &str, rows: &[Row]) {
        for group in rows.chunk_by(|a, b| (&a[0], &a[1]) == (&b[0], &b[1])) {
            let Some(first) = group.first() else { continue };
            let (name, unique, method) = (at(first, 1).to_owned(), at(first, 2) == "0", at(first, 6).to_lowercase());
            // What the beginnings of values tell apart, whole values tell apart too.
            let columns: Option<Vec<String>> = group.iter().map(|row| row[4].clone().filter(|_| unique || row[5].is_none())).collect();
            let Some(table) = self.table(schema, at(first, 0)) else { continue };
            match columns {
                Some(columns) if name == "PRIMARY" => table.primary_key = columns,
                Some(columns) if unique => table.uniques.push(Unique { columns, ..Unique::default() }),
                _ => {
                    let parts = group.iter().map(|row| {
                        let prefix = row[5].as_ref().map(|length| format!("first {length}"));
                        let order = (at(row, 7) == "D").then(|| "desc".to_owned());
                        let unusual: Vec<String> = prefix.into_iter().chain(order).collect();
                        IndexPart {
                            column: row[4].clone(),
                            expression: row[8].clone(),
                            order: (!unusual.is_empty()).then(|| unusual.join(" ")),
                        }
                    });
                    let parts = parts.collect();
                    table.indexes.push(Index { name, parts, unique, method: (method != "btree").then_some(method), ..Index::default() });
                }
            }
        }
    }

    fn foreign_keys(&mut self, schema: &str, lists: &Lists) {
        // NO ACTION and RESTRICT are one thing here.
        let action = |rule: &str| (!matches!(rule, "NO ACTION" | "RESTRICT")).then(|| rule.to_owned());
        let rules: BTreeMap<(&str, &str), &Row> = lists.references.iter().map(|r| ((at(r, 0), at(r, 1)), r)).collect();
        for group in lists.key_columns.chunk_by(|a, b| (&a[0], &a[1]) == (&b[0], &b[1])) {
            let Some(first) = group.first() else { continue };
            let rule = rules.get(&(at(first, 0), at(first, 1)));
            let column = |place: usize| group.iter().map(|row| at(row, place).to_owned()).collect();
            let target = self.full_name(at(first, 4), at(first, 5));
            if at(first, 4) != schema {
                self.outside.insert(target.clone());
            }
            let key = ForeignKey {
                columns: column(3),
                table: target,
                to: column(6),
                on_delete: rule.and_then(|r| action(at(r, 2))),
                on_update: rule.and_then(|r| action(at(r, 3))),
                ..ForeignKey::default()
            };
            if let Some(table) = self.table(schema, at(first, 0)) {
                table.foreign_keys.push(key);
            }
        }
    }

    fn grants(&mut self, schema: &str, lists: &Lists) {
        let marked = |privilege: &str, grantable: &str| format!("{privilege}{}", if grantable == "YES" { "*" } else { "" });
        let mut whole: BTreeMap<(&str, String), Vec<String>> = BTreeMap::new();
        for row in &lists.table_grants {
            whole.entry((at(row, 1), role(at(row, 0)))).or_default().push(marked(at(row, 2), at(row, 3)));
        }
        for ((table, to), mut privileges) in whole {
            privileges.sort();
            if let Some(table) = self.table(schema, table) {
                table.grants.push(Grant { to, columns: Vec::new(), privileges });
            }
        }
        let mut of_columns: BTreeMap<(&str, String, String), Vec<String>> = BTreeMap::new();
        for row in &lists.column_grants {
            of_columns.entry((at(row, 1), role(at(row, 0)), marked(at(row, 3), at(row, 4)))).or_default().push(at(row, 2).to_owned());
        }
        for ((table, to, privilege), mut columns) in of_columns {
            columns.sort();
            if let Some(table) = self.table(schema, table) {
                table.grants.push(Grant { to, columns, privileges: vec![privilege] });
            }
        }
        let mut all: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for row in &lists.schema_grants {
            all.entry(role(at(row, 0))).or_default().push(marked(at(row, 1), at(row, 2)));
        }
        for (to, mut privileges) in all {
            privileges.sort();
            let grant = Grant { to, columns: Vec::new(), privileges };
            self.objects.default_grants.push(DefaultGrant { owner: "the database".to_owned(), on: "tables".to_owned(), grant });
        }
    }
}

/// The columns a view's statement reads: the server doesn't tell, but writes the statement with every name in full.
fn view_reads(schema: &Schema, definition: &str, view: &str) -> Vec<String> {
    // A condition is what can be analysed; a query is one inside EXISTS.
    let analysis = sql::analyse(definition, sql::Scope::Statement { table: view }, schema);
    let mut reads: Vec<String> = analysis
        .names
        .into_iter()
        .filter_map(|named| match named.target {
            Target::Column { table, column } => Some(name::dotted(&table, &column)),
            _ => None,
        })
        .collect();
    reads.sort();
    reads.dedup();
    reads
}

/// `'anna'@'%'` as `anna`, `'anna'@'host'` as `anna@host`.
fn role(grantee: &str) -> String {
    let plain = grantee.replace('\'', "");
    plain.strip_suffix("@%").or_else(|| plain.strip_suffix('@')).unwrap_or(&plain).to_owned()
}

/// The table and column that a check makes JSON.
fn json_check(row: &Row) -> Option<(String, String)> {
    let clause = at(row, 2).trim_matches(['(', ')', ' ']);
    let column = clause.strip_prefix("json_valid(`")?.strip_suffix('`')?;
    (column == at(row, 1)).then(|| (at(row, 0).to_owned(), column.to_owned()))
}
