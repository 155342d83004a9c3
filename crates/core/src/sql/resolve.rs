//! Resolving the names of parsed SQL by scope: inner query before outer query, aliases before tables.
//!
//! Common table expressions, `USING` and columns of a subquery that can't be told leave doubt.

use super::dialect::identifier;
use super::fragment::{Named, Target};
use super::places::Places;
use super::projection::{ResultColumn, last_ident, query_columns, table_named};
use crate::name;
use crate::schema::{Operation, Schema};
use sqlparser::ast::{
    AssignmentTarget, Expr, FromTable, Ident, JoinConstraint, JoinOperator, ObjectName, Query, Select, SelectItem, SetExpr, Statement,
    TableFactor, TableObject, TableWithJoins, UpdateTableFromKind, Visitor,
};
use std::ops::{ControlFlow, Range};

/// Something columns come from: a table, or a subquery in FROM.
#[derive(Debug, Clone)]
pub(super) struct Source {
    pub alias: String,
    pub table: Option<String>,
    /// Result columns of a subquery, where they can be told.
    pub columns: Option<Vec<ResultColumn>>,
}

/// A walk over parsed SQL that resolves every name.
pub(super) struct Resolver<'a> {
    places: Places<'a>,
    schema: &'a Schema,
    scopes: Vec<Vec<Source>>,
    /// Result names of the queries around, which ORDER BY (and SQLite's WHERE) may use.
    aliases: Vec<Vec<String>>,
    ctes: Vec<String>,
    pub names: Vec<Named>,
    pub certain: bool,
    pub writes: Option<(String, Operation, Vec<String>)>,
}

impl<'a> Resolver<'a> {
    /// With one source around the whole text.
    pub fn new(text: &'a str, schema: &'a Schema, own: Source) -> Resolver<'a> {
        Resolver {
            places: Places::of(text),
            schema,
            scopes: vec![vec![own]],
            ctes: Vec::new(),
            names: Vec::new(),
            certain: true,
            writes: None,
            aliases: vec![Vec::new()],
        }
    }

    /// The byte range of an identifier.
    fn range(&self, ident: &Ident) -> Option<Range<usize>> {
        self.places.of_name(ident)
    }

    /// The name an identifier stands for.
    fn value(&self, ident: &Ident) -> String {
        identifier(ident, self.schema.engine)
    }

    fn push(&mut self, ident: &Ident, target: Target) {
        match self.range(ident) {
            Some(at) => self.names.push(Named { at, target }),
            None => self.certain = false,
        }
    }

    fn sources(&mut self, from: &[TableWithJoins]) -> Vec<Source> {
        let mut sources = Vec::new();
        for item in from {
            self.add_source(&item.relation, &mut sources);
            for join in &item.joins {
                self.add_source(&join.relation, &mut sources);
                if let JoinOperator::Inner(c)
                | JoinOperator::Join(c)
                | JoinOperator::Left(c)
                | JoinOperator::LeftOuter(c)
                | JoinOperator::Right(c)
                | JoinOperator::RightOuter(c)
                | JoinOperator::FullOuter(c) = &join.join_operator
                    && matches!(c, JoinConstraint::Using(_) | JoinConstraint::Natural)
                {
                    self.certain = false;
                }
            }
        }
        sources
    }

    fn add_source(&mut self, factor: &TableFactor, sources: &mut Vec<Source>) {
        match factor {
            TableFactor::Table { name: object, alias, args: None, .. } => {
                let last = last_ident(object).map(|i| self.value(i)).unwrap_or_default();
                let is_cte = object.0.len() == 1 && name::contains(&self.ctes, &last);
                let table = table_named(object, self.schema);
                let alias = alias.as_ref().map_or(last, |a| a.name.value.clone());
                sources.push(Source { alias, table: (!is_cte).then_some(table), columns: None });
            }
            TableFactor::Derived { subquery, alias, .. } => {
                let columns = query_columns(subquery, self.schema);
                sources.push(Source { alias: alias.as_ref().map(|a| a.name.value.clone()).unwrap_or_default(), table: None, columns });
            }
            TableFactor::NestedJoin { table_with_joins, .. } => {
                let inner = self.sources(std::slice::from_ref(table_with_joins));
                sources.extend(inner);
            }
            _ => {
                self.certain = false;
                sources.push(Source { alias: String::new(), table: None, columns: None });
            }
        }
    }

    fn resolve_bare(&mut self, ident: &Ident) {
        let wanted = self.value(ident);
        let wanted = wanted.as_str();
        let mut doubtful = false;
        let mut found = None;
        'scopes: for (scope, aliases) in self.scopes.iter().zip(&self.aliases).rev() {
            for source in scope {
                match (&source.table, &source.columns) {
                    (Some(table), _) => match self.schema.table(table) {
                        Some(known) if known.reads(wanted) => {
                            let column = known.column(wanted).map_or(wanted, |c| &c.name).to_owned();
                            found = Some(Target::Column { table: known.name.clone(), column });
                            break 'scopes;
                        }
                        Some(_) => {}
                        // The table itself is reported as missing; its columns can't be told.
                        None => doubtful = true,
                    },
                    (None, Some(columns)) => match columns.iter().find(|c| name::same(&c.name, wanted)) {
                        Some(ResultColumn { from: Some((table, column)), .. }) => {
                            found = Some(Target::Column { table: table.clone(), column: column.clone() });
                            break 'scopes;
                        }
                        Some(_) => return,
                        None => {}
                    },
                    (None, None) => doubtful = true,
                }
            }
            if name::contains(aliases, wanted) {
                return;
            }
        }
        match found {
            Some(target) => {
                if doubtful {
                    self.certain = false;
                }
                self.push(ident, target);
            }
            None if doubtful => self.certain = false,
            None => {
                let only = match self.scopes.as_slice() {
                    [scope] | [_, scope] => scope.first().and_then(|s| s.table.clone()),
                    _ => None,
                };
                self.push(ident, Target::Missing { table: only, name: wanted.to_owned(), is_table: false });
            }
        }
    }

    /// A table named where one is expected.
    fn table_mentioned(&mut self, object: &ObjectName) {
        let Some(ident) = last_ident(object) else { return };
        if object.0.len() == 1 && name::contains(&self.ctes, &ident.value) {
            return;
        }
        let wanted = table_named(object, self.schema);
        let target = match self.schema.table(&wanted) {
            Some(table) => Target::Table(table.name.clone()),
            // What isn't read may well be there.
            None if name::contains(&self.schema.outside, &wanted) => return,
            None if name::split_qualified(&wanted).0.is_some() => {
                self.certain = false;
                return;
            }
            None if ident.value.to_ascii_lowercase().starts_with("sqlite_") => return,
            None => Target::Missing { table: None, name: ident.value.clone(), is_table: true },
        };
        self.push(ident, target);
    }

    fn resolve_qualified(&mut self, qualifier: &Ident, ident: &Ident) {
        let column_name = self.value(ident);
        let source = self.scopes.iter().rev().flatten().find(|s| name::same(&s.alias, &qualifier.value)).cloned();
        let Some(source) = source else {
            self.push(qualifier, Target::Missing { table: None, name: format!("{}.{}", qualifier.value, column_name), is_table: false });
            return;
        };
        let Some(table) = source.table else {
            match source.columns.map(|columns| columns.into_iter().find(|c| name::same(&c.name, &column_name))) {
                Some(Some(ResultColumn { from: Some((table, column)), .. })) => self.push(ident, Target::Column { table, column }),
                Some(Some(_)) => {}
                Some(None) => self.push(ident, Target::Missing { table: None, name: column_name, is_table: false }),
                None => self.certain = false,
            }
            return;
        };
        let Some(known) = self.schema.table(&table) else { return };
        let (known_name, reads, column) =
            (known.name.clone(), known.reads(&column_name), known.column(&column_name).map(|c| c.name.clone()));
        if name::same(&source.alias, &known_name) {
            self.push(qualifier, Target::Table(known_name.clone()));
        }
        if reads {
            self.push(ident, Target::Column { table: known_name, column: column.unwrap_or_else(|| column_name.clone()) });
        } else {
            self.push(ident, Target::Missing { table: Some(known_name), name: column_name, is_table: false });
        }
    }
}

impl Visitor for Resolver<'_> {
    type Break = ();

    fn pre_visit_query(&mut self, query: &Query) -> ControlFlow<()> {
        if let Some(with) = &query.with {
            self.ctes.extend(with.cte_tables.iter().map(|c| c.alias.name.value.clone()));
        }
        // ORDER BY and LIMIT stand outside the SELECT but see its sources.
        let (scope, aliases) = match query.body.as_ref() {
            SetExpr::Select(select) => (self.sources(&select.from), projected(select)),
            _ => (Vec::new(), query_columns(query, self.schema).unwrap_or_default().into_iter().map(|c| c.name).collect()),
        };
        self.scopes.push(scope);
        self.aliases.push(aliases);
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, _: &Query) -> ControlFlow<()> {
        self.scopes.pop();
        self.aliases.pop();
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &Select) -> ControlFlow<()> {
        let scope = self.sources(&select.from);
        self.scopes.push(scope);
        self.aliases.push(projected(select));
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, _: &Select) -> ControlFlow<()> {
        self.scopes.pop();
        self.aliases.pop();
        ControlFlow::Continue(())
    }

    fn pre_visit_statement(&mut self, statement: &Statement) -> ControlFlow<()> {
        let (sources, targets) = match statement {
            Statement::Update(update) => {
                let mut from = vec![update.table.clone()];
                if let Some(UpdateTableFromKind::BeforeSet(more) | UpdateTableFromKind::AfterSet(more)) = &update.from {
                    from.extend(more.clone());
                }
                let set = update.assignments.iter().flat_map(|a| match &a.target {
                    AssignmentTarget::ColumnName(name) => vec![name.clone()],
                    AssignmentTarget::Tuple(names) => names.clone(),
                });
                (self.sources(&from), set.collect())
            }
            Statement::Delete(delete) => {
                let (FromTable::WithFromKeyword(from) | FromTable::WithoutKeyword(from)) = &delete.from;
                (self.sources(from), Vec::new())
            }
            Statement::Insert(insert) => {
                let TableObject::TableName(object) = &insert.table else { return ControlFlow::Continue(()) };
                self.table_mentioned(object);
                let table = table_named(object, self.schema);
                let alias = last_ident(object).map(|i| self.value(i)).unwrap_or_default();
                (vec![Source { alias, table: Some(table), columns: None }], insert.columns.clone())
            }
            Statement::Query(_) => (Vec::new(), Vec::new()),
            _ => {
                self.certain = false;
                (Vec::new(), Vec::new())
            }
        };
        let operation = match statement {
            Statement::Update(_) => Some(Operation::Update),
            Statement::Delete(_) => Some(Operation::Delete),
            Statement::Insert(_) => Some(Operation::Insert),
            _ => None,
        };
        if let (Some(operation), Some(table)) = (operation, sources.first().and_then(|s| s.table.clone())) {
            let columns = targets.iter().filter_map(|t| last_ident(t).map(|i| self.value(i))).collect();
            self.writes = Some((table, operation, columns));
        }
        self.scopes.push(sources);
        self.aliases.push(Vec::new());
        for target in &targets {
            if let Some(ident) = last_ident(target) {
                self.resolve_bare(ident);
            }
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &Statement) -> ControlFlow<()> {
        self.scopes.pop();
        self.aliases.pop();
        ControlFlow::Continue(())
    }

    fn pre_visit_table_factor(&mut self, factor: &TableFactor) -> ControlFlow<()> {
        if let TableFactor::Table { name: object, args: None, .. } = factor {
            self.table_mentioned(object);
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_expr(&mut self, expression: &Expr) -> ControlFlow<()> {
        match expression {
            Expr::Identifier(ident) => self.resolve_bare(ident),
            Expr::CompoundIdentifier(parts) => match parts.as_slice() {
                [.., qualifier, ident] => self.resolve_qualified(qualifier, ident),
                _ => self.certain = false,
            },
            _ => {}
        }
        ControlFlow::Continue(())
    }
}

fn projected(select: &Select) -> Vec<String> {
    select
        .projection
        .iter()
        .filter_map(|item| match item {
            SelectItem::ExprWithAlias { alias, .. } => Some(alias.value.clone()),
            _ => None,
        })
        .collect()
}
