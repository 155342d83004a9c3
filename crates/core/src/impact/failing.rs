//! What of the needs of every page the changed schema can't give.

use super::sound::doubtful;
use super::{Context, Lost, What};
use crate::definition::{Entity, Page};
use crate::name;
use crate::schema::{Column, Engine, Operation, Table, Writes};
use crate::sql::{self, Target};
use crate::statements::{self, Need, Use, Why};
use rayon::prelude::*;
use std::collections::BTreeMap;

impl<'a> Context<'a> {
    /// Everything lost, page by page.
    pub(super) fn gather(&self) -> Vec<Lost<'a>> {
        let of = |entity: &'a Entity| {
            let mut lost: Vec<Lost<'a>> = Vec::new();
            // Where in `lost` each element of this entity is: linear, however many statements say the same.
            let mut known: BTreeMap<(Why, String), usize> = BTreeMap::new();
            for page in &entity.pages {
                let statements = statements::of_page(self.model, entity, page, self.input.accepted);
                self.gather_from(entity, Some(page), statements, &mut known, &mut lost);
            }
            let exchange = statements::of_exchange(self.model, entity, self.input.accepted);
            self.gather_from(entity, None, exchange, &mut known, &mut lost);
            lost
        };
        doubtful(self).into_par_iter().flat_map_iter(of).collect()
    }

    /// Adds what a page's statements, or those of no page, can't get.
    fn gather_from(
        &self,
        entity: &'a Entity,
        page: Option<&Page>,
        statements: Vec<statements::Statement>,
        known: &mut BTreeMap<(Why, String), usize>,
        lost: &mut Vec<Lost<'a>>,
    ) {
        let mut seen = std::collections::BTreeSet::new();
        for statement in statements {
            for used in statement.uses {
                if !seen.insert(used.clone()) {
                    continue;
                }
                for what in self.fails(&used) {
                    // One finding for each element and loss; a field's are told page by page.
                    let why = match &used.why {
                        Why::Field { field, .. } => Why::Field { field: field.clone(), spot: statements::Spot::Shown },
                        other => other.clone(),
                    };
                    let name = page.map_or("", |page| page.name.as_str());
                    let key = (why.clone(), format!("{what:?}{}", if why.is_of_page() { name } else { "" }));
                    let at = *known.entry(key).or_insert_with(|| {
                        lost.push(Lost { entity, pages: Vec::new(), used: used.clone(), uses: Vec::new(), what });
                        lost.len() - 1
                    });
                    if let Some(entry) = lost.get_mut(at) {
                        if let Some(page) = page.filter(|page| !entry.pages.contains(&page.name)) {
                            entry.pages.push(page.name.clone());
                        }
                        if !entry.uses.contains(&used) {
                            entry.uses.push(used.clone());
                        }
                    }
                }
            }
        }
    }

    /// What of one need the changed schema can't give.
    fn fails(&self, used: &Use) -> Vec<What> {
        let changed = self.input.changed;
        let readable = |table: &str| changed.table(table).filter(|t| t.broken.is_none());
        match &used.need {
            Need::Table(table) => match changed.table(table) {
                None => vec![What::Table { table: table.clone(), broken: None }],
                Some(known) => {
                    known.broken.iter().map(|message| What::Table { table: table.clone(), broken: Some(message.clone()) }).collect()
                }
            },
            Need::Column { table, select: Some(select), column } => match self.results.get(select.as_str()) {
                Some(Some(results)) if !results.iter().any(|c| name::same(&c.name, column)) => {
                    vec![What::Column { table: table.clone(), column: column.clone() }]
                }
                _ => Vec::new(),
            },
            Need::Column { table, select: None, column } => match readable(table) {
                Some(known) if !known.reads(column) => vec![What::Column { table: table.clone(), column: column.clone() }],
                _ => Vec::new(),
            },
            Need::Ordered(read) => self.refused(read, |t| (!t.has_order()).then(|| format!("{} has no order", t.shown()))),
            Need::Total { of, total } => self.refused(of, |t| (!t.takes_total(total)).then(|| format!("the {total} of {}", t.shown()))),
            Need::Compared { this, with } => self.incomparable(this, with).into_iter().collect(),
            Need::Condition { table, select, text } => {
                let there = select
                    .as_ref()
                    .map_or_else(|| readable(table).is_some(), |select| matches!(self.results.get(select.as_str()), Some(Some(_))));
                let scope = sql::Scope::Columns { table, select: select.as_deref() };
                let analysis = there.then(|| sql::analyse(text, scope, changed));
                let whole = !matches!(used.why, Why::Formula { .. } | Why::Display { .. } | Why::Title { .. });
                analysis
                    .and_then(|analysis| {
                        let wrong = || self.mistyped(text, scope, &analysis, whole);
                        self.analysis_fails(text, &analysis).or_else(|| self.call_fails(&analysis)).or_else(wrong)
                    })
                    .into_iter()
                    .collect()
            }
            Need::Statement { table, text } => {
                let scope = sql::Scope::Statement { table };
                let analysis = sql::analyse(text, scope, changed);
                let wrong = || self.mistyped(text, scope, &analysis, false);
                let twice = || (used.why == Why::Source { part: "select" }).then(|| self.named_twice(text)).flatten();
                let fails: Vec<What> = self
                    .analysis_fails(text, &analysis)
                    .or_else(|| self.call_fails(&analysis))
                    .or_else(wrong)
                    .or_else(twice)
                    .into_iter()
                    .collect();
                let writes = analysis.writes.filter(|_| fails.is_empty());
                match writes.and_then(|(table, operation, columns)| Some((changed.table(&table)?, operation, columns))) {
                    // An INSERT without a list of columns gives them all.
                    Some((known, Operation::Insert, columns)) if columns.is_empty() => {
                        let all: Vec<String> = known.columns.iter().map(|c| c.name.clone()).collect();
                        write_fails(&self.writes, known, Operation::Insert, &all)
                    }
                    Some((known, operation, columns)) => write_fails(&self.writes, known, operation, &columns),
                    None => fails,
                }
            }
            Need::Routine { name, arguments } => match changed.takes_call(name, arguments) {
                Ok(()) => Vec::new(),
                Err(wrong) => vec![What::Routine { name: name.clone(), wrong }],
            },
            Need::Write { table, operation, columns } => match readable(table) {
                Some(known) => write_fails(&self.writes, known, *operation, columns),
                None => Vec::new(),
            },
        }
    }

    /// A query that gives two columns of one name can't stand in for a table: MariaDB refuses it, PostgreSQL wherever the name is used.
    /// SQLite takes the first one, which `page/column-replaced` tells.
    fn named_twice(&self, select: &str) -> Option<What> {
        let engine = self.input.changed.engine;
        let results = self.results.get(select)?.as_ref().filter(|_| engine != Engine::Sqlite)?;
        let is_used = |column: &str| {
            let of_query = self.entities().filter(|e| e.source.select.as_ref().is_some_and(|own| own.value == select));
            of_query.flat_map(|e| e.fields.iter().flat_map(|f| &f.columns).chain(&e.key)).any(|c| name::same(&c.value, column))
        };
        let name = sql::named_twice(results).find(|name| engine.is_mysql_like() || is_used(name))?;
        Some(What::Ambiguous { name: name.to_owned(), offset: 0 })
    }

    /// A function of the database's own that the text calls and that doesn't take the call any more. The engine's are never judged.
    fn call_fails(&self, analysis: &sql::Analysis) -> Option<What> {
        let (accepted, changed) = (self.input.accepted, self.input.changed);
        let known = |call: &&sql::Call| accepted.takes_values(&call.name, call.given).is_ok();
        analysis.calls.iter().filter(known).find_map(|call| {
            let wrong = changed.takes_values(&call.name, call.given).err()?;
            Some(What::Function { name: call.name.clone(), wrong, offset: call.at })
        })
    }

    fn analysis_fails(&self, text: &str, analysis: &sql::Analysis) -> Option<What> {
        match analysis.missing().next().map(|named| (named.target.clone(), named.at.start)) {
            Some((Target::Missing { table, name, is_table }, offset)) => return Some(What::Condition { name, table, is_table, offset }),
            Some((Target::Ambiguous(name), offset)) => return Some(What::Ambiguous { name, offset }),
            _ => {}
        }
        if analysis.certain {
            return None;
        }
        let lost = self.input.comparison.changes.iter().filter(|c| c.kind.loses_a_name());
        lost.map(|c| c.column.as_ref().unwrap_or(&c.table))
            .find(|name| sql::mentions_word(text, &[name], self.input.changed.engine))
            .map(|name| What::DoubtfulCondition { name: name.clone() })
    }
}

fn write_fails(writes: &Writes<'_>, table: &Table, operation: Operation, columns: &[String]) -> Vec<What> {
    let written: Vec<&str> = columns.iter().map(String::as_str).collect();
    if let Some(refusal) = writes.refused(table, operation, &written) {
        return vec![What::Refused { table: table.name.clone(), operation, refusal }];
    }
    let of = |column: &Column| (table.name.clone(), column.name.clone());
    let by_database = columns.iter().filter_map(|c| table.column(c)).filter(|c| c.written_by_database()).map(|c| {
        let (table, column) = of(c);
        What::WrittenByDatabase { table, column }
    });
    let absent = table.required_columns().filter(|c| operation == Operation::Insert && !name::contains(columns, &c.name)).map(|c| {
        let (table, column) = of(c);
        What::RequiredAbsent { table, column }
    });
    by_database.chain(absent).collect()
}
