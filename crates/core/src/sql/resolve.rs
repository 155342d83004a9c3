//! Resolving the names of parsed SQL by scope: inner query before outer query, aliases before tables.
//!
//! The queries of WITH and those in FROM are seen through to the columns of tables; where their columns can't be told,
//! doubt is left.

use super::dialect::identifier;
use super::places::Places;
use super::projection::{Known, Named, ResultColumn, aliased, joined_by_name, last_ident, query_columns, table_named};
use super::target::{Call, Target};
use crate::name;
use crate::schema::{Operation, Schema};
use sqlparser::ast::{
    AssignmentTarget, Expr, FromTable, FunctionArg, FunctionArgExpr, FunctionArguments, Ident, JoinConstraint, ObjectName, Query, Select,
    SelectItem, SelectItemQualifiedWildcardKind, SetExpr, Statement, TableFactor, TableObject, TableWithJoins, UpdateTableFromKind,
    Visitor,
};
use std::ops::{ControlFlow, Range};

/// Something columns come from: a table, or a query in FROM or WITH.
#[derive(Debug, Clone, Default)]
pub(super) struct Source {
    pub alias: String,
    pub table: Option<String>,
    /// The table whose name it is called by, where nobody calls it otherwise: a qualifier is a mention of that.
    pub bears: Option<String>,
    /// Result columns of a query, where they can be told.
    pub columns: Option<Vec<ResultColumn>>,
    /// Columns that stand for those of the same name in what was joined before.
    pub merged: Vec<String>,
}

impl Source {
    /// Something that an entity's own SQL is over: its table, or the query that stands in for it under the table's name.
    pub fn of_entity(table: &str, query: Option<Option<Vec<ResultColumn>>>) -> Source {
        Source {
            alias: name::split_qualified(table).1.to_owned(),
            table: query.is_none().then(|| table.to_owned()),
            bears: Some(table.to_owned()),
            columns: query.flatten(),
            merged: Vec::new(),
        }
    }

    fn has(&self, column: &str, schema: &Schema) -> Option<bool> {
        match (&self.table, &self.columns) {
            (Some(table), _) => schema.table(table).map(|known| known.reads(column)),
            (None, columns) => columns.as_ref().map(|columns| columns.iter().any(|c| name::same(&c.name, column))),
        }
    }
}

/// What names are looked for in.
struct Scope {
    sources: Vec<Source>,
    /// Result names of the query, which ORDER BY (and SQLite's WHERE) may use.
    aliases: Vec<String>,
    seen: Seen,
}

/// From where a scope's names are seen.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Seen {
    /// From everywhere inside.
    Inside,
    /// From a query's own ORDER BY and LIMIT; what is inside has scopes of its own.
    Directly,
    /// Not yet: the queries of WITH come first.
    Later,
}

/// A WITH whose query is walked through.
struct Queries {
    named: Vec<Named>,
    /// How many of them can be named where the walk is.
    seen: usize,
}

/// A walk over parsed SQL that resolves every name.
pub(super) struct Resolver<'a> {
    places: Places<'a>,
    schema: &'a Schema,
    scopes: Vec<Scope>,
    /// The WITHs around, the nearest last.
    withs: Vec<Queries>,
    /// Of each query around: where its body begins, the queries of its WITH, and what its end has to put back.
    around: Vec<Around>,
    pub names: Vec<super::target::Named>,
    pub certain: bool,
    /// The functions that are called.
    pub calls: Vec<Call>,
    /// Tables joined by whatever names they share: a rename in one of them changes what is joined.
    pub natural: Vec<String>,
    pub writes: Option<(String, Operation, Vec<String>)>,
}

/// A query that is walked through. Parts of the tree are told apart by where they are.
struct Around {
    body: *const Select,
    members: Vec<*const Query>,
    recursive: bool,
    has_with: bool,
    /// The WITH that it is a member of, and how many of its queries were seen before.
    member_of: Option<(usize, usize)>,
}

impl<'a> Resolver<'a> {
    /// With one source around the whole text.
    pub fn new(text: &'a str, schema: &'a Schema, own: Source) -> Resolver<'a> {
        Resolver {
            places: Places::of(text),
            schema,
            scopes: vec![Scope { sources: vec![own], aliases: Vec::new(), seen: Seen::Inside }],
            withs: Vec::new(),
            around: Vec::new(),
            names: Vec::new(),
            certain: true,
            calls: Vec::new(),
            natural: Vec::new(),
            writes: None,
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
            Some(at) => self.names.push(super::target::Named { at, target }),
            None => self.certain = false,
        }
    }

    /// What FROM may name where the walk is.
    fn known(&self) -> Known<'a> {
        let queries = self.withs.iter().flat_map(|w| w.named.iter().take(w.seen).cloned()).collect();
        Known { schema: self.schema, queries }
    }

    fn sources(&mut self, from: &[TableWithJoins]) -> Vec<Source> {
        let known = self.known();
        let mut sources = Vec::new();
        for item in from {
            self.add_joined(item, &known, &mut sources);
        }
        sources
    }

    fn add_joined(&mut self, item: &TableWithJoins, known: &Known<'a>, sources: &mut Vec<Source>) {
        let first = sources.len();
        self.add_source(&item.relation, known, sources);
        for join in &item.joins {
            let right = sources.len();
            self.add_source(&join.relation, known, sources);
            match joined_by_name(&join.join_operator) {
                Some(JoinConstraint::Using(names)) => {
                    let shared: Vec<String> = names.iter().filter_map(last_ident).map(|ident| self.value(ident)).collect();
                    sources.iter_mut().skip(right).for_each(|source| source.merged.extend(shared.iter().cloned()));
                }
                Some(_) => {
                    let (left, joined) = sources.split_at_mut(right);
                    let left = left.get(first..).unwrap_or_default();
                    for source in joined {
                        source.merged = self.shared(left, source);
                        self.natural.extend(left.iter().chain([&*source]).filter_map(|s| s.table.clone()));
                    }
                }
                None => {}
            }
        }
    }

    /// The columns that a source shares with those before it.
    fn shared(&self, left: &[Source], source: &Source) -> Vec<String> {
        let own: Vec<String> = match (&source.table, &source.columns) {
            (Some(table), _) => self.schema.table(table).map(|t| t.columns.iter().map(|c| c.name.clone()).collect()).unwrap_or_default(),
            (None, Some(columns)) => columns.iter().map(|c| c.name.clone()).collect(),
            (None, None) => Vec::new(),
        };
        own.into_iter().filter(|column| left.iter().any(|s| s.has(column, self.schema) == Some(true))).collect()
    }

    fn add_source(&mut self, factor: &TableFactor, known: &Known<'a>, sources: &mut Vec<Source>) {
        let own_name = match factor {
            TableFactor::Table { name: object, alias: None, .. } if known.query(object).is_none() => Some(table_named(object, self.schema)),
            _ => None,
        };
        let mut add = |alias: String, table: Option<String>, columns: Option<Vec<ResultColumn>>| {
            sources.push(Source { alias, table, bears: own_name.clone(), columns, merged: Vec::new() });
        };
        let engine = self.schema.engine;
        match factor {
            TableFactor::Table { name: object, alias, args: None, .. } => {
                let last = last_ident(object).map(|i| self.value(i)).unwrap_or_default();
                let name = alias.as_ref().map_or(last, |a| a.name.value.clone());
                match known.query(object) {
                    Some(query) => {
                        let columns = query.columns.clone();
                        add(name, None, alias.as_ref().map_or_else(|| columns.clone(), |a| aliased(columns.clone(), a, engine)));
                    }
                    // A table whose columns get other names is seen as a query.
                    None if alias.as_ref().is_some_and(|a| !a.columns.is_empty()) => {
                        let table = self.schema.table(&table_named(object, self.schema));
                        let plain = |name: &String| ResultColumn { name: name.clone(), from: None };
                        let own = table.map(|t| t.columns.iter().map(|c| plain(&c.name)).collect());
                        add(name, None, alias.as_ref().and_then(|a| aliased(own, a, engine)));
                    }
                    None => add(name, Some(table_named(object, self.schema)), None),
                }
            }
            TableFactor::Derived { subquery, alias, .. } => {
                let columns = query_columns(subquery, known);
                let columns = alias.as_ref().map_or_else(|| columns.clone(), |a| aliased(columns.clone(), a, engine));
                add(alias.as_ref().map(|a| a.name.value.clone()).unwrap_or_default(), None, columns);
            }
            TableFactor::NestedJoin { table_with_joins, .. } => self.add_joined(table_with_joins, known, sources),
            _ => {
                self.certain = false;
                add(String::new(), None, None);
            }
        }
    }

    /// The names of USING: each stands for a column on both sides.
    fn resolve_using(&mut self, item: &TableWithJoins) {
        let known = self.known();
        let mut sources = Vec::new();
        let certain = self.certain;
        self.add_source(&item.relation, &known, &mut sources);
        for join in &item.joins {
            let right = sources.len();
            self.add_source(&join.relation, &known, &mut sources);
            let Some(JoinConstraint::Using(names)) = joined_by_name(&join.join_operator) else { continue };
            for ident in names.iter().filter_map(last_ident) {
                let wanted = self.value(ident);
                let (left, joined) = sources.split_at(right);
                for side in [left, joined] {
                    let having = side.iter().find(|s| s.has(&wanted, self.schema) == Some(true));
                    let doubtful = side.iter().any(|s| s.has(&wanted, self.schema).is_none());
                    match having {
                        Some(source) => self.column_of(&source.clone(), ident, &wanted),
                        None if doubtful => self.certain = false,
                        None => {
                            let table = side.first().and_then(|s| s.table.clone()).filter(|_| side.len() == 1);
                            self.push(ident, Target::Missing { table, name: wanted.clone(), is_table: false });
                        }
                    }
                }
            }
        }
        self.certain &= certain;
    }

    /// Notes a column that a source has.
    fn column_of(&mut self, source: &Source, ident: &Ident, wanted: &str) {
        let target = match (&source.table, &source.columns) {
            (Some(table), _) => self.schema.table(table).map(|known| Target::Column {
                table: known.name.clone(),
                column: known.column(wanted).map_or(wanted, |c| &c.name).to_owned(),
            }),
            (None, Some(columns)) => columns.iter().find(|c| name::same(&c.name, wanted)).and_then(|c| {
                let (table, column) = c.from.clone()?;
                Some(Target::Column { table, column })
            }),
            (None, None) => None,
        };
        if let Some(target) = target {
            self.push(ident, target);
        }
    }

    fn resolve_bare(&mut self, ident: &Ident) {
        let wanted = self.value(ident);
        let wanted = wanted.as_str();
        let mut doubtful = false;
        let mut found = None;
        let innermost = self.scopes.len() - 1;
        for (at, scope) in self.scopes.iter().enumerate().rev() {
            let sees = match scope.seen {
                Seen::Inside => true,
                Seen::Directly => at == innermost,
                Seen::Later => false,
            };
            if !sees {
                continue;
            }
            let having: Vec<&Source> = scope.sources.iter().filter(|s| s.has(wanted, self.schema) == Some(true)).collect();
            // A table that isn't there is reported itself; its columns can't be told.
            doubtful |= scope.sources.iter().any(|s| s.has(wanted, self.schema).is_none());
            if let Some(first) = having.first() {
                let apart = having.iter().filter(|s| !name::contains(&s.merged, wanted)).count();
                found = Some(((*first).clone(), apart > 1 && !name::contains(&scope.aliases, wanted)));
                break;
            }
            if name::contains(&scope.aliases, wanted) {
                return;
            }
        }
        match found {
            Some((_, true)) if !doubtful => self.push(ident, Target::Ambiguous(wanted.to_owned())),
            Some((source, _)) => {
                if doubtful {
                    self.certain = false;
                }
                self.column_of(&source, ident, wanted);
            }
            None if doubtful => self.certain = false,
            None => {
                let seen: Vec<&Scope> = self.scopes.iter().filter(|s| s.seen == Seen::Inside).collect();
                let only = match seen.as_slice() {
                    [scope] | [_, scope] => scope.sources.first().filter(|_| scope.sources.len() == 1).and_then(|s| s.table.clone()),
                    _ => None,
                };
                self.push(ident, Target::Missing { table: only, name: wanted.to_owned(), is_table: false });
            }
        }
    }

    /// A table named where one is expected.
    fn table_mentioned(&mut self, object: &ObjectName) {
        let Some(ident) = last_ident(object) else { return };
        if self.known().query(object).is_some() {
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

    /// What a qualifier stands for where the walk is; a table whose name it is, is mentioned by it.
    fn qualified_by(&mut self, qualifier: &Ident) -> Option<Source> {
        let innermost = self.scopes.len() - 1;
        let seen = self.scopes.iter().enumerate().rev().filter(|(at, scope)| match scope.seen {
            Seen::Inside => true,
            Seen::Directly => *at == innermost,
            Seen::Later => false,
        });
        let called = self.value(qualifier);
        let source = seen.flat_map(|(_, scope)| &scope.sources).find(|s| name::same(&s.alias, &called)).cloned()?;
        if let Some(table) = source.bears.as_ref().and_then(|table| self.schema.table(table)) {
            self.push(qualifier, Target::Table(table.name.clone()));
        }
        Some(source)
    }

    /// `table.*`
    fn resolve_star(&mut self, object: &ObjectName) {
        if let Some(qualifier) = last_ident(object)
            && self.qualified_by(qualifier).is_none()
        {
            self.push(qualifier, Target::Missing { table: None, name: format!("{}.*", qualifier.value), is_table: false });
        }
    }

    fn resolve_qualified(&mut self, qualifier: &Ident, ident: &Ident) {
        let column_name = self.value(ident);
        let Some(source) = self.qualified_by(qualifier) else {
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
        // Inside a member of a WITH only the members before it have names; a recursive one has its own as well.
        let here = std::ptr::from_ref(query);
        let member_of = self.around.last().and_then(|outer| {
            let at = outer.members.iter().position(|member| *member == here)?;
            Some((at + usize::from(outer.recursive), outer.recursive))
        });
        let member_of = member_of.and_then(|(seen, _)| {
            let with = self.withs.len().checked_sub(1)?;
            let frame = self.withs.get_mut(with)?;
            let before = std::mem::replace(&mut frame.seen, seen.min(frame.named.len()));
            Some((with, before))
        });
        let (mut members, mut recursive) = (Vec::new(), false);
        if let Some(with) = &query.with {
            let named = self.known().with(with);
            self.withs.push(Queries { seen: named.len(), named });
            members = with.cte_tables.iter().map(|c| std::ptr::from_ref(c.query.as_ref())).collect();
            recursive = with.recursive;
        }
        let mut body = query.body.as_ref();
        while let SetExpr::SetOperation { left, .. } = body {
            body = left;
        }
        let body = match body {
            SetExpr::Select(select) => std::ptr::from_ref(select.as_ref()),
            _ => std::ptr::null(),
        };
        // ORDER BY and LIMIT stand outside the SELECT but see its sources.
        let (sources, aliases) = match query.body.as_ref() {
            SetExpr::Select(select) => (self.sources(&select.from), projected(select)),
            _ => (Vec::new(), query_columns(query, &self.known()).unwrap_or_default().into_iter().map(|c| c.name).collect()),
        };
        let seen = if query.with.is_some() && !body.is_null() { Seen::Later } else { Seen::Directly };
        self.scopes.push(Scope { sources, aliases, seen });
        self.around.push(Around { body, members, recursive, has_with: query.with.is_some(), member_of });
        ControlFlow::Continue(())
    }

    fn post_visit_query(&mut self, _: &Query) -> ControlFlow<()> {
        self.scopes.pop();
        if let Some(around) = self.around.pop() {
            if around.has_with {
                self.withs.pop();
            }
            if let Some((with, before)) = around.member_of
                && let Some(frame) = self.withs.get_mut(with)
            {
                frame.seen = before;
            }
        }
        ControlFlow::Continue(())
    }

    fn pre_visit_select(&mut self, select: &Select) -> ControlFlow<()> {
        if self.around.last().is_some_and(|around| std::ptr::eq(around.body, select))
            && let Some(scope) = self.scopes.last_mut()
        {
            scope.seen = Seen::Directly;
        }
        let sources = self.sources(&select.from);
        self.scopes.push(Scope { sources, aliases: projected(select), seen: Seen::Inside });
        for item in &select.from {
            self.resolve_using(item);
        }
        for item in &select.projection {
            if let SelectItem::QualifiedWildcard(SelectItemQualifiedWildcardKind::ObjectName(object), _) = item {
                self.resolve_star(object);
            }
        }
        ControlFlow::Continue(())
    }

    fn post_visit_select(&mut self, _: &Select) -> ControlFlow<()> {
        self.scopes.pop();
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
                (
                    vec![Source { alias, bears: Some(table.clone()), table: Some(table), columns: None, merged: Vec::new() }],
                    insert.columns.clone(),
                )
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
        self.scopes.push(Scope { sources, aliases: Vec::new(), seen: Seen::Inside });
        for target in &targets {
            if let Some(ident) = last_ident(target) {
                self.resolve_bare(ident);
            }
        }
        ControlFlow::Continue(())
    }

    fn post_visit_statement(&mut self, _: &Statement) -> ControlFlow<()> {
        self.scopes.pop();
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
            Expr::Function(function) => {
                let arguments = match &function.args {
                    FunctionArguments::List(list) => Some(list.args.as_slice()),
                    FunctionArguments::None => Some(&[][..]),
                    FunctionArguments::Subquery(_) => None,
                };
                if let Some(ident) = last_ident(&function.name)
                    && let Some(at) = self.range(ident)
                {
                    let name = self.value(ident);
                    self.calls.push(Call { name, given: arguments.map(<[FunctionArg]>::len), at: at.start });
                }
                // `count(table.*)`
                for argument in arguments.unwrap_or_default() {
                    if let FunctionArg::Unnamed(FunctionArgExpr::QualifiedWildcard(object)) = argument {
                        self.resolve_star(object);
                    }
                }
            }
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
