//! The columns a query gives: their names, and which column of a table each passes through under its own name.

use super::dialect::identifier;
use super::parser;
use crate::name::{self, same};
use crate::schema::{Engine, Schema};
use sqlparser::ast::{
    Expr, Ident, JoinConstraint, JoinOperator, ObjectName, ObjectNamePart, Query, SelectItem, SelectItemQualifiedWildcardKind, SetExpr,
    Statement, TableAlias, TableFactor, TableWithJoins, WildcardAdditionalOptions, With,
};

/// A column of a query's result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ResultColumn {
    /// Its name.
    pub name: String,
    /// The table and column it passes through under that column's own name: renamed, it changes its name as well.
    pub from: Option<(String, String)>,
}

/// The columns a query gives; `None` where they can't be told with certainty.
pub fn projection(select: &str, schema: &Schema) -> Option<Vec<ResultColumn>> {
    query_columns(&query(select, schema.engine)?, &Known::of(schema))
}

/// A query that WITH gives a name, and its columns where they can be told.
#[derive(Debug, Clone)]
pub(super) struct Named {
    pub name: String,
    pub columns: Option<Vec<ResultColumn>>,
}

/// What FROM may name: tables of the schema, and the queries of the WITHs around.
#[derive(Debug, Clone)]
pub(super) struct Known<'a> {
    pub schema: &'a Schema,
    /// The nearest last.
    pub queries: Vec<Named>,
}

impl<'a> Known<'a> {
    pub fn of(schema: &'a Schema) -> Known<'a> {
        Known { schema, queries: Vec::new() }
    }

    /// The query a name in FROM stands for, if it isn't a table.
    pub fn query(&self, object: &ObjectName) -> Option<&Named> {
        let wanted = last_ident(object).filter(|_| object.0.len() == 1)?;
        let wanted = identifier(wanted, self.schema.engine);
        self.queries.iter().rev().find(|known| same(&known.name, &wanted))
    }

    /// The queries of a WITH, each seeing those before it.
    pub fn with(&self, with: &With) -> Vec<Named> {
        let mut known = self.clone();
        let before = known.queries.len();
        for cte in &with.cte_tables {
            let columns = aliased(query_columns(&cte.query, &known), &cte.alias, self.schema.engine);
            known.queries.push(Named { name: identifier(&cte.alias.name, self.schema.engine), columns });
        }
        known.queries.split_off(before)
    }
}

/// The columns of a query under the names that its alias gives them.
pub(super) fn aliased(columns: Option<Vec<ResultColumn>>, alias: &TableAlias, engine: Engine) -> Option<Vec<ResultColumn>> {
    if alias.columns.is_empty() {
        return columns;
    }
    let mut named: Vec<ResultColumn> =
        alias.columns.iter().map(|c| ResultColumn { name: identifier(&c.name, engine), from: None }).collect();
    // Those that aren't named keep the names they have.
    named.extend(columns.into_iter().flatten().skip(alias.columns.len()));
    Some(named)
}

fn query(select: &str, engine: Engine) -> Option<Query> {
    let parsed = parser::statements(select, engine).ok()?;
    match parsed.into_iter().next()? {
        Statement::Query(query) => Some(*query),
        _ => None,
    }
}

/// The names that more than one of a query's columns has.
pub fn named_twice(columns: &[ResultColumn]) -> impl Iterator<Item = &str> {
    let is_second =
        |(at, column): &(usize, &ResultColumn)| columns.iter().take(*at).filter(|other| same(&other.name, &column.name)).count() == 1;
    columns.iter().enumerate().filter(is_second).map(|(_, column)| column.name.as_str())
}

/// The result columns that tell the records of a query apart, where the query says so: those it groups by, else the
/// primary key of the table it starts from.
pub fn key_of_query(select: &str, schema: &Schema) -> Option<Vec<String>> {
    let query = query(select, schema.engine)?;
    let SetExpr::Select(select) = query.body.as_ref() else { return None };
    let columns = query_columns(&query, &Known::of(schema))?;
    if let sqlparser::ast::GroupByExpr::Expressions(groups, _) = &select.group_by
        && !groups.is_empty()
    {
        let shown = |expr: &Expr| {
            select.projection.iter().find_map(|item| match item {
                SelectItem::ExprWithAlias { expr: own, alias } if own.to_string() == expr.to_string() || last_name(expr) == Some(alias) => {
                    Some(identifier(alias, schema.engine))
                }
                SelectItem::UnnamedExpr(own) if own.to_string() == expr.to_string() => last_name(own).map(|i| identifier(i, schema.engine)),
                _ => None,
            })
        };
        let mut key: Vec<String> = groups.iter().map(shown).collect::<Option<_>>()?;
        // What follows from an id needn't tell records apart.
        if let Some(id) = key.iter().find(|c| c.ends_with("_id")).cloned() {
            let stem = id.trim_end_matches("_id").to_owned();
            key.retain(|c| !same(c, &stem));
        }
        return Some(key);
    }
    let TableFactor::Table { name: object, .. } = &select.from.first()?.relation else { return None };
    if select.from.len() > 1 || select.distinct.is_some() {
        return None;
    }
    // A join by the other table's key gives one record each.
    let one_each = |join: &sqlparser::ast::Join| {
        let (JoinOperator::Left(on) | JoinOperator::LeftOuter(on) | JoinOperator::Inner(on) | JoinOperator::Join(on)) = &join.join_operator
        else {
            return false;
        };
        let (JoinConstraint::On(on), TableFactor::Table { name: object, alias, .. }) = (on, &join.relation) else { return false };
        let Some(alias) = alias.as_ref().map_or_else(|| last_ident(object), |a| Some(&a.name)) else { return false };
        let key = schema.table(&table_named(object, schema)).map(|t| t.primary_key.clone()).unwrap_or_default();
        let equals = |column: &String| {
            matches!(on, Expr::BinaryOp { left, op: sqlparser::ast::BinaryOperator::Eq, right }
                if [left, right].into_iter().any(|side| matches!(side.as_ref(), Expr::CompoundIdentifier(parts)
                    if matches!(parts.as_slice(), [q, c] if same(&q.value, &alias.value) && same(&c.value, column)))))
        };
        key.len() == 1 && key.iter().all(equals)
    };
    if !select.from.first()?.joins.iter().all(one_each) {
        return None;
    }
    let table = schema.table(&table_named(object, schema))?;
    let key = table.primary_key.iter().map(|k| {
        let from = columns.iter().find(|c| c.from.as_ref().is_some_and(|(t, c)| same(t, &table.name) && same(c, k)));
        from.map(|c| c.name.clone())
    });
    key.collect::<Option<Vec<String>>>().filter(|key| !key.is_empty())
}

fn last_name(expr: &Expr) -> Option<&Ident> {
    match expr {
        Expr::Identifier(ident) => Some(ident),
        Expr::CompoundIdentifier(parts) => parts.last(),
        _ => None,
    }
}

/// What a query's FROM gives: an alias and its columns.
struct Given {
    alias: String,
    columns: Vec<ResultColumn>,
    /// Columns that stand for those of the same name in what was joined before: `*` gives them once.
    merged: Vec<String>,
}

/// The columns of a parsed query.
pub(super) fn query_columns(query: &Query, known: &Known<'_>) -> Option<Vec<ResultColumn>> {
    let inner;
    let known = match &query.with {
        Some(with) => {
            let mut queries = known.queries.clone();
            queries.extend(known.with(with));
            inner = Known { schema: known.schema, queries };
            &inner
        }
        None => known,
    };
    let schema = known.schema;
    let mut body = query.body.as_ref();
    while let SetExpr::SetOperation { left, .. } = body {
        body = left;
    }
    let select = match body {
        SetExpr::Select(select) => select,
        SetExpr::Query(inner) => return query_columns(inner, known),
        _ => return None,
    };
    let mut given = Vec::new();
    for item in &select.from {
        gather(item, known, &mut given)?;
    }
    let mut columns = Vec::new();
    for item in &select.projection {
        match item {
            SelectItem::Wildcard(options) if plain_star(options) => {
                columns.extend(given.iter().flat_map(|g| g.columns.iter().filter(|c| !name::contains(&g.merged, &c.name)).cloned()));
            }
            SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(object), options) if plain_star(options) => {
                let alias = identifier(last_ident(object)?, schema.engine);
                columns.extend(given.iter().find(|g| same(&g.alias, &alias))?.columns.clone());
            }
            SelectItem::ExprWithAlias { alias, .. } => columns.push(ResultColumn { name: identifier(alias, schema.engine), from: None }),
            SelectItem::UnnamedExpr(expr) => {
                let Some(ident) = last_name(expr) else { continue };
                let wanted = identifier(ident, schema.engine);
                let qualifier = match expr {
                    Expr::CompoundIdentifier(parts) => parts.len().checked_sub(2).and_then(|at| parts.get(at)),
                    _ => None,
                };
                let sources = given.iter().filter(|g| qualifier.is_none_or(|q| same(&g.alias, &identifier(q, schema.engine))));
                let found = sources.flat_map(|g| &g.columns).find(|c| same(&c.name, &wanted));
                columns.push(ResultColumn { from: found.and_then(|c| c.from.clone()), name: wanted });
            }
            _ => return None,
        }
    }
    Some(columns)
}

/// Whether a star leaves nothing out and renames nothing.
fn plain_star(options: &WildcardAdditionalOptions) -> bool {
    options.opt_except.is_none() && options.opt_exclude.is_none() && options.opt_replace.is_none() && options.opt_rename.is_none()
}

/// What a join goes by, where it is by names: those of USING, or all that both sides have.
pub(super) fn joined_by_name(operator: &JoinOperator) -> Option<&JoinConstraint> {
    let (JoinOperator::Inner(c)
    | JoinOperator::Join(c)
    | JoinOperator::Left(c)
    | JoinOperator::LeftOuter(c)
    | JoinOperator::Right(c)
    | JoinOperator::RightOuter(c)
    | JoinOperator::FullOuter(c)
    | JoinOperator::CrossJoin(c)) = operator
    else {
        return None;
    };
    matches!(c, JoinConstraint::Using(_) | JoinConstraint::Natural).then_some(c)
}

fn gather(item: &TableWithJoins, known: &Known<'_>, given: &mut Vec<Given>) -> Option<()> {
    let first = given.len();
    given_by(&item.relation, known, given)?;
    for join in &item.joins {
        let right = given.len();
        given_by(&join.relation, known, given)?;
        let Some(constraint) = joined_by_name(&join.join_operator) else { continue };
        let left: Vec<String> = given.get(first..right)?.iter().flat_map(|g| g.columns.iter().map(|c| c.name.clone())).collect();
        let shared: Vec<String> = match constraint {
            JoinConstraint::Using(names) => {
                names.iter().filter_map(|n| last_ident(n).map(|i| identifier(i, known.schema.engine))).collect()
            }
            _ => left,
        };
        for given in given.iter_mut().skip(right) {
            let own = given.columns.iter().map(|c| &c.name);
            given.merged.extend(own.filter(|c| name::contains(&shared, c)).cloned().collect::<Vec<_>>());
        }
    }
    Some(())
}

fn given_by(factor: &TableFactor, known: &Known<'_>, given: &mut Vec<Given>) -> Option<()> {
    let schema = known.schema;
    let mut give = |alias: String, columns: Vec<ResultColumn>| given.push(Given { alias, columns, merged: Vec::new() });
    match factor {
        TableFactor::Table { name: object, alias, args: None, .. } => {
            let name = alias.as_ref().map_or_else(|| last_ident(object), |a| Some(&a.name)).map(|i| identifier(i, schema.engine))?;
            let columns = match known.query(object) {
                Some(query) => query.columns.clone()?,
                None => {
                    let table = schema.table(&table_named(object, schema))?;
                    let own = |column: &str| ResultColumn { name: column.to_owned(), from: Some((table.name.clone(), column.to_owned())) };
                    table.columns.iter().map(|c| own(&c.name)).collect()
                }
            };
            match alias {
                Some(alias) => give(name, aliased(Some(columns), alias, schema.engine)?),
                None => give(name, columns),
            }
        }
        TableFactor::Derived { subquery, alias, .. } => {
            let columns = query_columns(subquery, known);
            match alias {
                Some(alias) => give(identifier(&alias.name, schema.engine), aliased(columns, alias, schema.engine)?),
                None => give(String::new(), columns?),
            }
        }
        TableFactor::NestedJoin { table_with_joins, .. } => gather(table_with_joins, known, given)?,
        _ => return None,
    }
    Some(())
}

/// The table a name in FROM stands for. One qualified with a schema none of whose tables are known is taken
/// for the home schema's, which carries no name of its own.
pub(super) fn table_named(object: &ObjectName, schema: &Schema) -> String {
    let value = |ident: &Ident| identifier(ident, schema.engine);
    let last = last_ident(object).map(value).unwrap_or_default();
    let Some(ObjectNamePart::Identifier(qualifier)) = object.0.len().checked_sub(2).and_then(|at| object.0.get(at)) else { return last };
    let qualified = name::qualified(&value(qualifier), &last);
    let of_schema = |t: &str| name::split_qualified(t).0.is_some_and(|s| same(s, &qualifier.value));
    let known = schema.tables.iter().any(|t| of_schema(&t.name)) || schema.outside.iter().any(|t| of_schema(t));
    if known || schema.table(&last).is_none() { qualified } else { last }
}

/// The last part of a qualified name.
pub(super) fn last_ident(object: &ObjectName) -> Option<&Ident> {
    match object.0.last()? {
        ObjectNamePart::Identifier(ident) => Some(ident),
        ObjectNamePart::Function(_) => None,
    }
}
