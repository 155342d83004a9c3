//! What the information schema is asked, one list a question.

use super::ask::{Ask, Row, literal, quoted};
use crate::server::ServerError;
use ysomorph_core::schema::Engine;

/// The lists of one database.
pub(super) struct Lists {
    /// Name, type, engine, collation, comment, options.
    pub tables: Vec<Row>,
    /// Table, place, name, type, data type, nullable, default, extra, collation, comment, expression, length, precision, scale, time precision.
    pub columns: Vec<Row>,
    /// Table, index, not unique, place, column, prefix, kind, order, expression.
    pub statistics: Vec<Row>,
    /// Table, constraint, place, column, target's schema, target, target's column.
    pub key_columns: Vec<Row>,
    /// Table, constraint, on delete, on update.
    pub references: Vec<Row>,
    /// Table, constraint, clause.
    pub checks: Vec<Row>,
    /// Name, definition, updatable, security.
    pub views: Vec<Row>,
    /// Table, name, timing, event, statement.
    pub triggers: Vec<Row>,
    /// Specific name, name, type, returns, body, deterministic, data access, security, definer.
    pub routines: Vec<Row>,
    /// Specific name, place, mode, name, type.
    pub parameters: Vec<Row>,
    /// Name, body, type, at, interval, unit, starts, ends, status.
    pub events: Vec<Row>,
    /// Grantee, table, privilege, grantable.
    pub table_grants: Vec<Row>,
    /// Grantee, table, column, privilege, grantable.
    pub column_grants: Vec<Row>,
    /// Grantee, privilege, grantable.
    pub schema_grants: Vec<Row>,
    /// Table, method, expression, partition, description.
    pub partitions: Vec<Row>,
    /// Name, start, least, greatest, step, cycles.
    pub sequences: Vec<Row>,
    /// What of it the server doesn't give, and why.
    pub unseen: Vec<String>,
}

/// Lists that a reading can do without, and what they say.
const PARTS: &[(&str, &str)] = &[
    ("STATISTICS", "indexes and keys"),
    ("KEY_COLUMN_USAGE", "foreign keys"),
    ("REFERENTIAL_CONSTRAINTS", "the rules of foreign keys"),
    ("CHECK_CONSTRAINTS", "checks"),
    ("TABLE_CONSTRAINTS", "checks"),
    ("VIEWS", "what views say"),
    ("TRIGGERS", "triggers"),
    ("ROUTINES", "routines"),
    ("PARAMETERS", "arguments of routines"),
    ("EVENTS", "events"),
    ("TABLE_PRIVILEGES", "rights on tables"),
    ("COLUMN_PRIVILEGES", "rights on columns"),
    ("SCHEMA_PRIVILEGES", "rights on the database"),
];

impl Lists {
    pub fn read(ask: &mut Ask<'_>, engine: Engine, schema: &str) -> Result<Lists, ServerError> {
        let here = literal(schema);
        let maria = engine == Engine::Mariadb;
        let mut unseen = Vec::new();
        // Not every server that speaks the protocol has every list: one that isn't there costs what it would say, not the reading.
        let mut list = |columns: &str, from: &str, where_: &str| -> Result<Vec<Row>, ServerError> {
            let rows = ask.rows(&format!("SELECT {columns} FROM information_schema.{from} WHERE {where_} = {here}"));
            match (PARTS.iter().find(|(list, _)| *list == from), rows) {
                (Some((_, what)), Err(error)) if error.costs_a_part() => {
                    unseen.push(format!("{what} of `{schema}` can't be read: {}", error.message));
                    Ok(Vec::new())
                }
                (_, rows) => rows,
            }
        };
        let tables = list("TABLE_NAME, TABLE_TYPE, ENGINE, TABLE_COLLATION, TABLE_COMMENT, CREATE_OPTIONS", "TABLES", "TABLE_SCHEMA")?;
        let mut columns = list(
            "TABLE_NAME, ORDINAL_POSITION, COLUMN_NAME, COLUMN_TYPE, DATA_TYPE, IS_NULLABLE, COLUMN_DEFAULT, EXTRA, COLLATION_NAME,
             COLUMN_COMMENT, GENERATION_EXPRESSION, CHARACTER_MAXIMUM_LENGTH, NUMERIC_PRECISION, NUMERIC_SCALE, DATETIME_PRECISION",
            "COLUMNS",
            "TABLE_SCHEMA",
        )?;
        let number = |row: &Row, at: usize| row.get(at).and_then(Option::as_ref).and_then(|t| t.parse::<u64>().ok()).unwrap_or(0);
        columns.sort_by(|a, b| (&a[0], number(a, 1)).cmp(&(&b[0], number(b, 1))));
        let expression = if maria { "NULL" } else { "EXPRESSION" };
        let mut statistics = list(
            &format!("TABLE_NAME, INDEX_NAME, NON_UNIQUE, SEQ_IN_INDEX, COLUMN_NAME, SUB_PART, INDEX_TYPE, COLLATION, {expression}"),
            "STATISTICS",
            "TABLE_SCHEMA",
        )?;
        statistics.sort_by(|a, b| (&a[0], &a[1], number(a, 3)).cmp(&(&b[0], &b[1], number(b, 3))));
        let mut key_columns = list(
            "TABLE_NAME, CONSTRAINT_NAME, ORDINAL_POSITION, COLUMN_NAME, REFERENCED_TABLE_SCHEMA, REFERENCED_TABLE_NAME, REFERENCED_COLUMN_NAME",
            "KEY_COLUMN_USAGE",
            "TABLE_SCHEMA",
        )?;
        key_columns.retain(|row| row[5].is_some());
        key_columns.sort_by(|a, b| (&a[0], &a[1], number(a, 2)).cmp(&(&b[0], &b[1], number(b, 2))));
        let references = list("TABLE_NAME, CONSTRAINT_NAME, DELETE_RULE, UPDATE_RULE", "REFERENTIAL_CONSTRAINTS", "CONSTRAINT_SCHEMA")?;
        let checks = if maria {
            list("TABLE_NAME, CONSTRAINT_NAME, CHECK_CLAUSE", "CHECK_CONSTRAINTS", "CONSTRAINT_SCHEMA")?
        } else {
            let clauses = list("CONSTRAINT_NAME, CHECK_CLAUSE", "CHECK_CONSTRAINTS", "CONSTRAINT_SCHEMA")?;
            let owners = list("CONSTRAINT_NAME, TABLE_NAME, CONSTRAINT_TYPE", "TABLE_CONSTRAINTS", "CONSTRAINT_SCHEMA")?;
            let owner = |name: &Option<String>| {
                owners.iter().find(|o| o[0] == *name && o[2].as_deref() == Some("CHECK")).and_then(|o| o[1].clone())
            };
            clauses.into_iter().map(|c| vec![owner(&c[0]), c[0].clone(), c[1].clone()]).collect()
        };
        let views = list("TABLE_NAME, VIEW_DEFINITION, IS_UPDATABLE, SECURITY_TYPE, CHECK_OPTION", "VIEWS", "TABLE_SCHEMA")?;
        let triggers =
            list("EVENT_OBJECT_TABLE, TRIGGER_NAME, ACTION_TIMING, EVENT_MANIPULATION, ACTION_STATEMENT", "TRIGGERS", "TRIGGER_SCHEMA")?;
        let routines = list(
            "SPECIFIC_NAME, ROUTINE_NAME, ROUTINE_TYPE, DTD_IDENTIFIER, ROUTINE_DEFINITION, IS_DETERMINISTIC, SQL_DATA_ACCESS, SECURITY_TYPE, DEFINER",
            "ROUTINES",
            "ROUTINE_SCHEMA",
        )?;
        let mut parameters =
            list("SPECIFIC_NAME, ORDINAL_POSITION, PARAMETER_MODE, PARAMETER_NAME, DTD_IDENTIFIER", "PARAMETERS", "SPECIFIC_SCHEMA")?;
        parameters.sort_by(|a, b| (&a[0], number(a, 1)).cmp(&(&b[0], number(b, 1))));
        let events = list(
            "EVENT_NAME, EVENT_DEFINITION, EVENT_TYPE, EXECUTE_AT, INTERVAL_VALUE, INTERVAL_FIELD, STARTS, ENDS, STATUS",
            "EVENTS",
            "EVENT_SCHEMA",
        )?;
        let table_grants = list("GRANTEE, TABLE_NAME, PRIVILEGE_TYPE, IS_GRANTABLE", "TABLE_PRIVILEGES", "TABLE_SCHEMA")?;
        let column_grants = list("GRANTEE, TABLE_NAME, COLUMN_NAME, PRIVILEGE_TYPE, IS_GRANTABLE", "COLUMN_PRIVILEGES", "TABLE_SCHEMA")?;
        let schema_grants = list("GRANTEE, PRIVILEGE_TYPE, IS_GRANTABLE", "SCHEMA_PRIVILEGES", "TABLE_SCHEMA")?;
        // Asked only of tables that have some: the list opens every table.
        let mut partitions = Vec::new();
        for table in tables.iter().filter(|t| t[5].as_deref().is_some_and(|o| o.contains("partitioned"))) {
            let name = literal(table[0].as_deref().unwrap_or_default());
            partitions.extend(ask.rows(&format!(
                "SELECT TABLE_NAME, PARTITION_METHOD, PARTITION_EXPRESSION, PARTITION_NAME, PARTITION_DESCRIPTION
                 FROM information_schema.PARTITIONS WHERE TABLE_SCHEMA = {here} AND TABLE_NAME = {name} ORDER BY PARTITION_ORDINAL_POSITION"
            ))?);
        }
        let all: Vec<String> = tables
            .iter()
            .filter(|t| t[1].as_deref() == Some("SEQUENCE"))
            .map(|t| {
                let name = t[0].as_deref().unwrap_or_default();
                format!(
                    "SELECT {}, start_value, minimum_value, maximum_value, increment, cycle_option FROM {}.{}",
                    literal(name),
                    quoted(schema),
                    quoted(name)
                )
            })
            .collect();
        let sequences = if all.is_empty() { Vec::new() } else { ask.rows(&all.join(" UNION ALL "))? };
        Ok(Lists {
            tables,
            columns,
            statistics,
            key_columns,
            references,
            checks,
            views,
            triggers,
            routines,
            parameters,
            events,
            table_grants,
            column_grants,
            schema_grants,
            partitions,
            sequences,
            unseen,
        })
    }
}
