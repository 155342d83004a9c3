//! Renames applied to schemas.

use crate::name::{self, RenameMap};
use crate::schema::{Schema, Table};
use crate::sql;
use std::sync::Arc;

impl RenameMap {
    /// The schema under its new names, in checks and views too as far as they can be analysed; other texts stay as they
    /// are: comparison allows for that.
    pub fn applied_to(&self, schema: &Schema) -> Schema {
        if self.is_empty() {
            return schema.clone();
        }
        let olds: Vec<&str> = self.table_renames().map(|(from, _)| from).chain(self.column_renames().map(|(_, from, _)| from)).collect();
        let applied = |table: &Arc<Table>| {
            let text = table.definition.as_deref().filter(|text| sql::mentions_word(text, &olds, schema.engine));
            // Most tables are the same under other names of others, and stay shared.
            if text.is_none() && table.engine == schema.engine && !self.meets(table) {
                return Arc::clone(table);
            }
            let mut after = Table { engine: schema.engine, ..self.applied_to_table(table) };
            if let Some(text) = text {
                after.definition = Some(self.applied_to_sql(text, sql::Scope::Statement { table: &table.name }, schema));
            }
            Arc::new(after)
        };
        let mut renamed = Schema { engine: schema.engine, tables: schema.tables.shared().map(applied).collect(), ..Schema::default() };
        renamed.tables.sort();
        renamed.outside.clone_from(&schema.outside);
        renamed.objects.clone_from(&schema.objects);
        renamed.catalogue.clone_from(&schema.catalogue);
        renamed.fingerprints.clone_from(&schema.fingerprints);
        renamed
    }

    /// Whether something of a table, or what it refers to, has another name; or isn't in the order that names give it.
    fn meets(&self, table: &Table) -> bool {
        let is_sorted = table.foreign_keys.is_sorted() && table.uniques.is_sorted();
        !is_sorted || std::iter::once(&table.name).chain(table.foreign_keys.iter().map(|key| &key.table)).any(|name| self.concerns(name))
    }

    /// One table under its new names.
    pub fn applied_to_table(&self, table: &Table) -> Table {
        let old = table.name.as_str();
        let renamed = |columns: &mut Vec<String>, of: &str| {
            for column in columns {
                *column = self.column(of, column).to_owned();
            }
        };
        let touched = self.table(old) != old || self.column_renames().any(|(of, ..)| name::same(of, old));
        let before = (touched && !table.checks.is_empty()).then(|| Schema::new(table.engine, vec![table.clone()]));
        let mut table = table.clone();
        let old_name = old.to_owned();
        if let Some(before) = before {
            for check in &mut table.checks {
                let scope = sql::Scope::Columns { table: &old_name, select: None };
                check.expression = self.applied_to_sql(&check.expression, scope, &before);
            }
        }
        for column in &mut table.columns {
            column.name = self.column(&old_name, &column.name).to_owned();
        }
        renamed(&mut table.primary_key, &old_name);
        for unique in &mut table.uniques {
            renamed(&mut unique.columns, &old_name);
        }
        for index in &mut table.indexes {
            for column in index.parts.iter_mut().filter_map(|p| p.column.as_mut()) {
                *column = self.column(&old_name, column).to_owned();
            }
            renamed(&mut index.carries, &old_name);
        }
        for grant in &mut table.grants {
            renamed(&mut grant.columns, &old_name);
        }
        for key in &mut table.foreign_keys {
            renamed(&mut key.columns, &old_name);
            let target = key.table.clone();
            renamed(&mut key.to, &target);
            key.table = self.table(&target).to_owned();
        }
        table.foreign_keys.sort();
        table.uniques.sort();
        table.name = self.table(&old_name).to_owned();
        table
    }

    fn applied_to_sql(&self, text: &str, scope: sql::Scope<'_>, schema: &Schema) -> String {
        let mut out = text.to_owned();
        for (at, new) in sql::rename_in(text, scope, schema, self).unwrap_or_default().into_iter().rev() {
            out.replace_range(at, &new);
        }
        out
    }
}
