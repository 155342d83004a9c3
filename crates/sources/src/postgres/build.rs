//! The catalogue's rows as the neutral model.

use super::grants::grants_of;
use super::rows::{Acl, ColumnRow, ConstraintRow, IndexRow, Namespace, Oid, Rows, TableRow};
use super::types::Types;
use std::collections::{BTreeMap, HashMap, HashSet};
use ysomorph_core::name;
use ysomorph_core::schema::{
    Catalogue, Check, Column, DefaultGrant, Engine, ForeignKey, Generated, Grant, Index, IndexPart, Operation, Policy, RowSecurity, Schema,
    Table, TableKind, TableNumbers, Trigger, Unique,
};

/// Table's number and column's number to the column's name.
type ColumnNames = HashMap<(Oid, i16), String>;

pub(super) fn schema(rows: Rows) -> Schema {
    let types = Types::of(rows.types);
    let mut names: HashMap<Oid, String> =
        rows.elsewhere.iter().map(|(oid, schema, table)| (*oid, name::qualified(schema, table))).collect();
    names.extend(rows.tables.iter().map(|t| (t.0, full_name(&t.1, &t.2))));
    let columns: ColumnNames = rows.columns.iter().map(|c| ((c.0, c.1), c.2.clone())).collect();
    let numbered: HashSet<(Oid, i16)> = rows.numbered.into_iter().collect();
    let mut tables: BTreeMap<Oid, Table> = rows.tables.into_iter().map(|row| (row.0, table(row))).collect();
    let mut numbers: BTreeMap<Oid, BTreeMap<String, u64>> = BTreeMap::new();
    for row in rows.columns {
        numbers.entry(row.0).or_default().insert(row.2.clone(), u64::try_from(row.1).unwrap_or_default());
        let auto = numbered.contains(&(row.0, row.1));
        if let Some(table) = tables.get_mut(&row.0) {
            table.columns.push(column(row, auto, &types));
        }
    }
    for row in rows.constraints {
        if let Some(table) = tables.get_mut(&row.0) {
            constraint(table, row, &names, &columns);
        }
    }
    for row in rows.indexes {
        if let Some(table) = tables.get_mut(&row.0) {
            index(table, row, &columns);
        }
    }
    for (oid, name, definition, bits, enabled) in rows.triggers {
        if let Some(table) = tables.get_mut(&oid) {
            table.triggers.push(trigger(name, definition, bits, enabled));
        }
    }
    for (oid, name, command, permissive, roles, sees, writes) in rows.policies {
        let command = match command {
            'r' => "select",
            'a' => "insert",
            'w' => "update",
            'd' => "delete",
            _ => "all",
        };
        if let Some(table) = tables.get_mut(&oid) {
            let roles = roles.unwrap_or_default();
            table.policies.push(Policy { name, command: command.to_owned(), restrictive: !permissive, roles, sees, writes });
        }
    }
    for (oid, grants) in grants(rows.grants, &columns) {
        if let Some(table) = tables.get_mut(&oid) {
            table.grants = grants;
        }
    }
    let mut outside: Vec<String> = rows.elsewhere.into_iter().map(|(_, schema, table)| name::qualified(&schema, &table)).collect();
    for (parent, schema, child, bound) in rows.partitions {
        let child = full_name(&schema, &child);
        if let Some(table) = tables.get_mut(&parent) {
            table.partitions.push(format!("{} {}", name::written(&child), bound.unwrap_or_default()).trim_end().to_owned());
        }
        outside.push(child);
    }
    for (child, parent) in rows.parents {
        if let (Some(table), Some(parent)) = (tables.get_mut(&child), names.get(&parent)) {
            table.inherits.push(name::written(parent));
        }
    }
    for (view, table, column) in rows.reads {
        if let (Some(view), Some(table)) = (tables.get_mut(&view), names.get(&table)) {
            view.reads.push(name::dotted(table, &column));
        }
    }
    // Numbers say nothing where it isn't known whose they are.
    let is_known = !rows.database.is_empty();
    let catalogue = Catalogue {
        database: format!("postgresql:{}", rows.database),
        tables: tables
            .iter()
            .map(|(oid, t)| TableNumbers {
                table: t.name.clone(),
                number: u64::from(*oid),
                columns: numbers.remove(oid).unwrap_or_default(),
            })
            .collect(),
        trail: None,
    };
    for table in tables.values_mut() {
        table.foreign_keys.sort();
        table.uniques.sort();
        table.uniques.dedup();
        table.checks.sort();
        table.reads.sort();
    }
    outside.sort();
    let objects = super::objects::objects(
        &types,
        super::objects::ObjectRows {
            enums: rows.enums,
            domains: rows.domains,
            composites: rows.composites,
            ranges: rows.ranges,
            sequences: rows.sequences,
            routines: rows.routines,
            default_grants: default_grants(rows.default_grants),
        },
    );
    let mut schema = Schema::new(Engine::Postgresql, tables.into_values().collect());
    schema.outside = outside;
    schema.objects = objects;
    let mut catalogue = catalogue;
    catalogue.tables.sort_by(|a, b| a.table.cmp(&b.table));
    schema.catalogue = is_known.then_some(catalogue);
    schema
}

/// The name in the model: qualified outside home.
fn full_name(schema: &Namespace, own: &str) -> String {
    schema.as_ref().map_or_else(|| own.to_owned(), |schema| name::qualified(schema, own))
}

fn table(row: TableRow) -> Table {
    let TableRow(_, schema, own, kind, persistence, owner, security, comment, view, partition_key, writes, server, options) = row;
    let is_view = matches!(kind, 'v' | 'm');
    let mut all = Vec::new();
    all.extend((persistence == 'u').then(|| "unlogged".to_owned()));
    all.extend(server.map(|server| format!("foreign, on {server}")));
    all.extend(options);
    // The bits of pg_relation_is_updatable: UPDATE 4, INSERT 8, DELETE 16.
    let taken = [(8, Operation::Insert), (4, Operation::Update), (16, Operation::Delete)];
    let takes = taken.iter().filter(|(bit, _)| writes & bit != 0).map(|(_, o)| *o).collect();
    Table {
        name: full_name(&schema, &own),
        schema,
        kind: if is_view { TableKind::View } else { TableKind::Table },
        materialised: kind == 'm',
        definition: view.map(|v| v.trim().trim_end_matches(';').to_owned()),
        takes: is_view.then_some(takes),
        partitioned_by: partition_key,
        options: all,
        comment,
        owner: Some(owner),
        row_security: match security {
            0 => RowSecurity::Off,
            1 => RowSecurity::On,
            _ => RowSecurity::Forced,
        },
        ..Table::default()
    }
}

fn column(row: ColumnRow, serial: bool, types: &Types) -> Column {
    let ColumnRow(_, _, name, type_id, modifier, required, expression, generated, identity, collation, comment) = row;
    let is_generated = !generated.is_empty();
    let auto = serial && expression.as_ref().is_some_and(|e| e.starts_with("nextval(")) || !identity.is_empty();
    Column {
        name,
        column_type: types.get(type_id, modifier),
        nullable: !required,
        default: expression.clone().filter(|e| !is_generated && !auto && !e.to_lowercase().starts_with("null::")),
        generated: expression.filter(|_| is_generated).map(|expression| Generated { expression, stored: generated == "s" }),
        auto,
        always: identity == "a",
        on_update: None,
        collation,
        comment,
    }
}

fn names_of(columns: &ColumnNames, table: Oid, numbers: &[i16]) -> Vec<String> {
    numbers.iter().map(|n| columns.get(&(table, *n)).cloned().unwrap_or_default()).collect()
}

fn constraint(table: &mut Table, row: ConstraintRow, names: &HashMap<Oid, String>, columns: &ColumnNames) {
    let ConstraintRow(oid, kind, name, own, target, targets, text, delete, update, matching, deferrable, deferred, valid, nulls) = row;
    let own = names_of(columns, oid, &own.unwrap_or_default());
    match kind {
        'p' => table.primary_key = own,
        'u' => table.uniques.push(Unique { columns: own, nulls_not_distinct: nulls, deferrable }),
        'c' => table.checks.push(Check { name: Some(name), expression: text.unwrap_or_default(), not_valid: !valid }),
        'x' => table.exclusions.push(text.unwrap_or_default()),
        _ => {
            let action = |code: char| match code {
                'r' => Some("RESTRICT".to_owned()),
                'c' => Some("CASCADE".to_owned()),
                'n' => Some("SET NULL".to_owned()),
                'd' => Some("SET DEFAULT".to_owned()),
                _ => None,
            };
            table.foreign_keys.push(ForeignKey {
                columns: own,
                table: names.get(&target).cloned().unwrap_or_default(),
                to: names_of(columns, target, &targets.unwrap_or_default()),
                on_delete: action(delete),
                on_update: action(update),
                deferred,
                deferrable,
                matching: (matching == 'f').then(|| "FULL".to_owned()),
                not_valid: !valid,
            });
        }
    }
}

fn index(table: &mut Table, row: IndexRow, columns: &ColumnNames) {
    let IndexRow(oid, name, unique, keys, numbers, texts, condition, method, options, nulls, classes) = row;
    let keys = usize::try_from(keys).unwrap_or_default();
    let (own, carried) = numbers.split_at(keys.min(numbers.len()));
    if unique && condition.is_none() && carried.is_empty() && own.iter().all(|n| *n != 0) {
        table.uniques.push(Unique { columns: names_of(columns, oid, own), nulls_not_distinct: nulls, deferrable: false });
        return;
    }
    let parts = own.iter().enumerate().map(|(at, number)| {
        // Bits of indoption: descending 1, nulls first 2; a descending part has its nulls first unless said otherwise.
        let order = match options.get(at).copied().unwrap_or(0) & 3 {
            0 => None,
            1 => Some("desc nulls last"),
            2 => Some("nulls first"),
            _ => Some("desc"),
        };
        let class = classes.get(at).cloned().flatten();
        let unusual: Vec<String> = order.map(str::to_owned).into_iter().chain(class).collect();
        IndexPart {
            column: (*number != 0).then(|| columns.get(&(oid, *number)).cloned()).flatten(),
            expression: (*number == 0).then(|| texts.get(at).cloned()).flatten(),
            order: (!unusual.is_empty()).then(|| unusual.join(" ")),
        }
    });
    table.indexes.push(Index {
        name,
        parts: parts.collect(),
        unique,
        method: (method != "btree").then_some(method),
        condition,
        carries: names_of(columns, oid, carried),
    });
}

fn trigger(name: String, definition: String, bits: i16, enabled: char) -> Trigger {
    // The bits of pg_trigger.tgtype: INSERT 4, DELETE 8, UPDATE 16, INSTEAD OF 64.
    let writes = [(4, Operation::Insert), (16, Operation::Update), (8, Operation::Delete)];
    Trigger {
        name,
        operations: writes.iter().filter(|(bit, _)| bits & bit != 0).map(|(_, o)| *o).collect(),
        instead_of: bits & 64 != 0,
        definition,
        off: enabled == 'D',
        broken: None,
    }
}

fn grants(rows: Vec<(Oid, String, String, bool, i16)>, columns: &ColumnNames) -> BTreeMap<Oid, Vec<Grant>> {
    // A column's grants of one privilege set to one role are told together.
    let mut whole: BTreeMap<Oid, Vec<Acl>> = BTreeMap::new();
    let mut of_columns: BTreeMap<(Oid, String, String), Vec<String>> = BTreeMap::new();
    for (oid, to, privilege, grantable, column) in rows {
        match columns.get(&(oid, column)) {
            Some(column) => {
                let privilege = format!("{privilege}{}", if grantable { "*" } else { "" });
                of_columns.entry((oid, to, privilege)).or_default().push(column.clone());
            }
            None => whole.entry(oid).or_default().push((to, privilege, grantable)),
        }
    }
    let mut all: BTreeMap<Oid, Vec<Grant>> = whole.into_iter().map(|(oid, acl)| (oid, grants_of(acl))).collect();
    for ((oid, to, privilege), mut columns) in of_columns {
        columns.sort();
        all.entry(oid).or_default().push(Grant { to, columns, privileges: vec![privilege] });
    }
    all
}

fn default_grants(rows: Vec<(String, char, String, String, bool)>) -> Vec<DefaultGrant> {
    let mut by_owner: BTreeMap<(String, &str), Vec<Acl>> = BTreeMap::new();
    for (owner, on, to, privilege, grantable) in rows {
        let on = match on {
            'r' => "tables",
            'S' => "sequences",
            'f' => "routines",
            'T' => "types",
            _ => "schemas",
        };
        by_owner.entry((owner, on)).or_default().push((to, privilege, grantable));
    }
    by_owner
        .into_iter()
        .flat_map(|((owner, on), acl)| {
            grants_of(acl).into_iter().map(move |grant| DefaultGrant { owner: owner.clone(), on: on.to_owned(), grant })
        })
        .collect()
}
