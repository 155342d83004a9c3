//! SQL fragments (conditions, row filters): which tables and columns they name, resolved by scope.
//!
//! Names resolve as in SQL: inner query before outer query, aliases before tables. What can't be resolved
//! beyond doubt (common table expressions, `USING`, columns of an unnamed subquery) makes the analysis
//! *uncertain*: such a fragment is never rewritten.

use super::dialect::{dialect, identifier};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Engine, Schema};
use sqlparser::ast::{
    Expr, Ident, JoinConstraint, JoinOperator, ObjectName, ObjectNamePart, Query, Select, SelectItem, SetExpr, TableFactor, TableWithJoins,
    Visit, Visitor,
};
use sqlparser::parser::Parser;
use std::ops::{ControlFlow, Range};

/// What a name in a fragment stands for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Target {
    /// A column of a table of the schema.
    Column {
        /// The table.
        table: String,
        /// The column, as the schema spells it.
        column: String,
    },
    /// A table of the schema.
    Table(String),
    /// Nothing in the schema: the database would refuse it.
    Missing {
        /// The table it was looked for in, when only one was possible.
        table: Option<String>,
        /// The name as written.
        name: String,
        /// Whether it stands where a table is expected.
        is_table: bool,
    },
}

/// A name at its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Named {
    /// Bytes of the name in the fragment, quotes included.
    pub at: Range<usize>,
    /// What it is.
    pub target: Target,
}

/// All names of a fragment.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Analysis {
    /// In order of their places.
    pub names: Vec<Named>,
    /// Whether every name was resolved beyond doubt.
    pub certain: bool,
    /// Why the text couldn't be read at all.
    pub error: Option<String>,
}

impl Analysis {
    /// The first name the database wouldn't find.
    pub fn missing(&self) -> impl Iterator<Item = &Named> {
        self.names.iter().filter(|n| matches!(n.target, Target::Missing { .. }))
    }
}

/// Analyses a condition over the columns of `table`.
pub fn analyse(text: &str, table: &str, schema: &Schema) -> Analysis {
    let parsed = Parser::new(dialect(schema.engine)).with_recursion_limit(60).try_with_sql(text).and_then(|mut parser| {
        let expression = parser.parse_expr()?;
        parser.expect_token(&sqlparser::tokenizer::Token::EOF)?;
        Ok(expression)
    });
    let expression = match parsed {
        Ok(expression) => expression,
        Err(error) => {
            return Analysis { names: Vec::new(), certain: false, error: Some(error.to_string().replace("sql parser error: ", "")) };
        }
    };
    let own = Source { alias: table.to_owned(), table: Some(table.to_owned()), columns: None };
    let mut resolver =
        Resolver { text, schema, scopes: vec![vec![own]], ctes: Vec::new(), names: Vec::new(), certain: true, aliases: vec![Vec::new()] };
    let _ = expression.visit(&mut resolver);
    let mut names = resolver.names;
    names.sort_by_key(|n| n.at.start);
    names.dedup();
    Analysis { names, certain: resolver.certain, error: None }
}

/// The fragment's replacements under new names: byte range and new text, in order. `None` where the fragment
/// can't be analysed with certainty although it may name something renamed.
pub fn rename_in(text: &str, table: &str, schema: &Schema, renames: &RenameMap) -> Option<Vec<(Range<usize>, String)>> {
    let mut olds: Vec<&str> = renames.table_renames().map(|(from, _)| from).collect();
    olds.extend(renames.column_renames().map(|(_, from, _)| from));
    if olds.is_empty() {
        return Some(Vec::new());
    }
    let analysis = analyse(text, table, schema);
    if !analysis.certain {
        return if crate::sql::mentions_word(text, &olds, schema.engine) { None } else { Some(Vec::new()) };
    }
    Some(
        analysis
            .names
            .into_iter()
            .filter_map(|named| {
                let (old, new) = match &named.target {
                    Target::Column { table, column } => (column.as_str(), renames.column(table, column)),
                    Target::Table(table) => (table.as_str(), renames.table(table)),
                    Target::Missing { .. } => return None,
                };
                if old == new {
                    return None;
                }
                let written = &text[named.at.clone()];
                let quote = written.chars().next().filter(|c| "\"`[".contains(*c));
                Some((named.at, requoted(new, quote, schema.engine)))
            })
            .collect(),
    )
}

/// A name in the quotes it stood in, or in double quotes where the new name needs them.
fn requoted(new: &str, quote: Option<char>, engine: Engine) -> String {
    // Only the last part of a qualified name stands where the old one stood.
    let (_, new) = name::split_qualified(new);
    match quote {
        Some('`') if !new.contains('`') => format!("`{new}`"),
        Some('[') if !new.contains(']') => format!("[{new}]"),
        None if is_bare(new, engine) => new.to_owned(),
        _ => name::quoted_for(new, engine),
    }
}

/// Whether a name can stand bare in a fragment: plain, and read back as a column by the parser.
fn is_bare(new: &str, engine: Engine) -> bool {
    let folds_back = !engine.tells_case() || !new.chars().any(char::is_uppercase);
    name::is_plain(new) && folds_back && !sqlparser::keywords::ALL_KEYWORDS.contains(&new.to_ascii_uppercase().as_str())
}

/// Something columns come from: a table, or a subquery in FROM.
#[derive(Debug, Clone)]
struct Source {
    alias: String,
    table: Option<String>,
    /// Result columns of a subquery, where they can be told.
    columns: Option<Vec<String>>,
}

struct Resolver<'a> {
    text: &'a str,
    schema: &'a Schema,
    scopes: Vec<Vec<Source>>,
    /// Result names of the queries around, which ORDER BY (and SQLite's WHERE) may use.
    aliases: Vec<Vec<String>>,
    ctes: Vec<String>,
    names: Vec<Named>,
    certain: bool,
}

impl Resolver<'_> {
    /// The byte range of an identifier; spans count lines and characters from 1.
    fn range(&self, ident: &Ident) -> Option<Range<usize>> {
        let span = ident.span;
        let offset = |line: u64, column: u64| -> Option<usize> {
            let mut start = 0;
            for _ in 1..line {
                start += self.text.get(start..)?.find('\n')? + 1;
            }
            let rest = self.text.get(start..)?;
            Some(start + rest.char_indices().nth(usize::try_from(column).ok()?.checked_sub(1)?).map_or(rest.len(), |(at, _)| at))
        };
        let range = offset(span.start.line, span.start.column)?..offset(span.end.line, span.end.column)?;
        // The range must really hold the name, quotes aside: a wrong one would rewrite something else.
        let written = self.text.get(range.clone())?;
        (name::unquoted(written) == ident.value).then_some(range)
    }

    /// The name an identifier stands for.
    fn value(&self, ident: &Ident) -> String {
        identifier(ident, self.schema.engine)
    }

    /// The table a name in FROM stands for. One qualified with a schema none of whose tables are known is taken
    /// for the home schema's, which carries no name of its own.
    fn table_of(&self, object: &ObjectName) -> String {
        let last = last_ident(object).map(|i| self.value(i)).unwrap_or_default();
        let Some(ObjectNamePart::Identifier(schema)) = object.0.len().checked_sub(2).and_then(|at| object.0.get(at)) else { return last };
        let qualified = name::qualified(&self.value(schema), &last);
        let of_schema = |t: &str| name::split_qualified(t).0.is_some_and(|s| name::same(s, &schema.value));
        let known = self.schema.tables.iter().any(|t| of_schema(&t.name)) || self.schema.outside.iter().any(|t| of_schema(t));
        if known || self.schema.table(&last).is_none() { qualified } else { last }
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
                let table = self.table_of(object);
                let alias = alias.as_ref().map_or(last, |a| a.name.value.clone());
                sources.push(Source { alias, table: (!is_cte).then_some(table), columns: None });
            }
            TableFactor::Derived { subquery, alias, .. } => {
                let columns = result_names(subquery);
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
                    (None, Some(columns)) if name::contains(columns, wanted) => return,
                    (None, Some(_)) => {}
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
                    [scope] => scope.first().and_then(|s| s.table.clone()),
                    _ => None,
                };
                self.push(ident, Target::Missing { table: only, name: wanted.to_owned(), is_table: false });
            }
        }
    }

    fn resolve_qualified(&mut self, qualifier: &Ident, ident: &Ident) {
        let column_name = self.value(ident);
        let source = self.scopes.iter().rev().flatten().find(|s| name::same(&s.alias, &qualifier.value)).cloned();
        let Some(source) = source else {
            self.push(qualifier, Target::Missing { table: None, name: format!("{}.{}", qualifier.value, column_name), is_table: false });
            return;
        };
        let Some(table) = source.table else {
            match source.columns {
                Some(columns) if !name::contains(&columns, &column_name) => {
                    self.push(ident, Target::Missing { table: None, name: column_name, is_table: false });
                }
                Some(_) => {}
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
            _ => (Vec::new(), result_names(query).unwrap_or_default()),
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

    fn pre_visit_table_factor(&mut self, factor: &TableFactor) -> ControlFlow<()> {
        if let TableFactor::Table { name: object, args: None, .. } = factor
            && let Some(ident) = last_ident(object)
            && !(object.0.len() == 1 && name::contains(&self.ctes, &ident.value))
        {
            let wanted = self.table_of(object);
            let target = match self.schema.table(&wanted) {
                Some(table) => Target::Table(table.name.clone()),
                // What isn't read may well be there.
                None if name::contains(&self.schema.outside, &wanted) => return ControlFlow::Continue(()),
                None if name::split_qualified(&wanted).0.is_some() => {
                    self.certain = false;
                    return ControlFlow::Continue(());
                }
                None if ident.value.to_ascii_lowercase().starts_with("sqlite_") => return ControlFlow::Continue(()),
                None => Target::Missing { table: None, name: ident.value.clone(), is_table: true },
            };
            self.push(ident, target);
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

fn last_ident(object: &ObjectName) -> Option<&Ident> {
    match object.0.last()? {
        ObjectNamePart::Identifier(ident) => Some(ident),
        ObjectNamePart::Function(_) => None,
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

/// A query's result columns, where each has a name.
fn result_names(query: &Query) -> Option<Vec<String>> {
    let mut body = query.body.as_ref();
    while let SetExpr::SetOperation { left, .. } = body {
        body = left;
    }
    let SetExpr::Select(select) = body else { return None };
    select
        .projection
        .iter()
        .map(|item| match item {
            SelectItem::ExprWithAlias { alias, .. } => Some(alias.value.clone()),
            SelectItem::UnnamedExpr(Expr::Identifier(ident)) => Some(ident.value.clone()),
            SelectItem::UnnamedExpr(Expr::CompoundIdentifier(parts)) => parts.last().map(|i| i.value.clone()),
            _ => None,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::{Column, ColumnType, Engine, Table};

    fn schema() -> Schema {
        let table = |name: &str, columns: &[&str]| Table {
            name: name.into(),
            columns: columns
                .iter()
                .map(|c| Column {
                    name: (*c).into(),
                    column_type: ColumnType::from_declaration("text", false),
                    nullable: true,
                    ..Column::default()
                })
                .collect(),
            ..Table::default()
        };
        Schema::new(
            Engine::Sqlite,
            vec![table("apiary", &["id", "keeper_id", "name"]), table("hive", &["id", "apiary_id", "tag", "two words"])],
        )
    }

    fn renamed(text: &str, map: &RenameMap) -> Option<String> {
        let mut out = text.to_owned();
        for (at, new) in rename_in(text, "hive", &schema(), map)?.into_iter().rev() {
            out.replace_range(at, &new);
        }
        Some(out)
    }

    #[test]
    fn only_the_names_own_characters_change() {
        let mut map = RenameMap::default();
        map.rename_column("hive", "tag", "hive no");
        map.rename_table("apiary", "yard");
        map.rename_column("apiary", "keeper_id", "owner_id");
        for (before, after) in [
            ("tag = 'tag' /* tag */ AND hive.tag<>\"tag\"", "\"hive no\" = 'tag' /* tag */ AND hive.\"hive no\"<>\"hive no\""),
            (
                "apiary_id IN (SELECT id FROM apiary WHERE keeper_id = :user_keeper)",
                "apiary_id IN (SELECT id FROM yard WHERE owner_id = :user_keeper)",
            ),
            (
                "EXISTS (SELECT 1 FROM apiary a WHERE a.id = hive.apiary_id AND a.name LIKE `tag`)",
                "EXISTS (SELECT 1 FROM yard a WHERE a.id = hive.apiary_id AND a.name LIKE `hive no`)",
            ),
            ("EXISTS (SELECT 1 FROM apiary tag WHERE tag.id = apiary_id)", "EXISTS (SELECT 1 FROM yard tag WHERE tag.id = apiary_id)"),
        ] {
            assert_eq!(renamed(before, &map).as_deref(), Some(after));
        }
        assert_eq!(renamed("tag IN (WITH x AS (SELECT * FROM apiary) SELECT tag FROM x)", &map), None, "doubtful SQL isn't rewritten");
    }

    #[test]
    fn what_the_database_would_not_find_is_missing() {
        for (text, missing) in [
            ("colour = 1", Some("colour")),
            ("tag = colour OR 1", Some("colour")),
            ("id IN (SELECT hive_id FROM colony)", Some("colony")),
            ("[two words] > 1 AND rowid = 2", None),
            ("apiary.name = 1", Some("apiary.name")),
        ] {
            let analysis = analyse(text, "hive", &schema());
            let found = analysis.missing().next().map(|n| match &n.target {
                Target::Missing { name, .. } => name.as_str(),
                _ => "",
            });
            assert_eq!(found, missing, "{text}: {analysis:?}");
        }
    }
}
