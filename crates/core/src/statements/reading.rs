//! What a running page reads: the statements of pages, everything as texts, narrowed by what somebody asks for.
//!
//! Nothing that somebody asks for becomes part of a statement's text: a field that the page doesn't offer, or that the role
//! never sees, narrows nothing, and values are parameters.

use super::builder::Builder;
use super::dialect::{as_hex, as_text, containing, like};
use super::groups::by_group;
use super::lists::sorted;
use super::need::{Spot, Why};
use super::related::Of;
use super::select::{Select, is_masked};
use super::{Purpose, Statement, children, exchange, groups, records, related};
use crate::definition::{Access, Child, Entity, Export, Field, Model, Page, Spanned};
use crate::name::quoted_for as quoted;
use crate::schema::{Kind, Schema};
use std::collections::BTreeMap;

/// What a page of one user reads.
#[derive(Clone, Copy)]
pub struct Reading<'a>(Builder<'a>);

/// What somebody asks of a list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Narrowing {
    /// A text to be found in any field that is searched.
    pub search: Option<String>,
    /// Fields and what they have to be.
    pub filters: Vec<(String, Filter)>,
    /// A field to sort by, and whether downwards; the page's own order without one.
    pub sort: Option<(String, bool)>,
    /// The group whose records are asked for: a value, or none, for each column it is grouped by.
    pub group: Option<Vec<Option<String>>>,
    /// Most records.
    pub limit: u32,
    /// Records passed over.
    pub offset: u32,
}

/// What a field has to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Filter {
    /// This: a value for each of its columns.
    Is(Vec<String>),
    /// Nothing.
    Empty,
    /// This or more.
    From(String),
    /// This or less.
    To(String),
    /// A text with this in it.
    Has(String),
}

/// A statement with the values of its parameters.
#[derive(Debug, Clone, PartialEq)]
pub struct Asked {
    /// The statement.
    pub statement: Statement,
    /// By the names of the parameters that what is asked for needs. The user's own are added by whoever knows them.
    pub values: BTreeMap<String, String>,
}

impl<'a> Reading<'a> {
    /// Of a page, for a role; for everybody where there are no roles.
    pub fn of_page(model: &'a Model, entity: &'a Entity, page: &'a Page, user: Option<&'a Access>, known: &'a Schema) -> Reading<'a> {
        Reading(Builder { texts: true, ..Builder::of_page(model, entity, page, user, known) })
    }

    /// The records of an export of the page's entity, at most so many.
    pub fn export(&self, export: &'a Export, most: u32) -> Statement {
        let builder = Builder { texts: true, ..Builder::of_entity(self.0.model, self.0.entity, self.0.user, self.0.known) };
        bounded(exchange::export(&builder, export), most)
    }

    /// Without some of the fields: those that the database hasn't got.
    #[must_use]
    pub fn without(self, fields: &'a [String]) -> Reading<'a> {
        Reading(Builder { without: fields, ..self.0 })
    }

    /// The fields of a list of names that the user sees.
    pub fn visible(&self, names: &'a [Spanned<String>]) -> impl Iterator<Item = &'a Field> + use<'a> {
        self.0.visible(names).map(|(field, _)| field)
    }

    /// The fields that can be sorted by: those shown whose values anybody may know.
    pub fn sortable(&self) -> impl Iterator<Item = &'a Field> + use<'a> {
        self.visible(self.0.shown()).filter(|field| is_ordered(field))
    }

    /// The fields that can be filtered by.
    pub fn filters(&self) -> impl Iterator<Item = &'a Field> + use<'a> {
        self.visible(self.0.page().map_or(&[], |page| &page.filter)).filter(|field| is_ordered(field))
    }

    /// The fields that are searched.
    pub fn searched(&self) -> impl Iterator<Item = &'a Field> + use<'a> {
        self.visible(self.0.page().map_or(&[], |page| &page.search)).filter(|field| is_ordered(field))
    }

    /// A page of records.
    pub fn rows(&self, narrowing: &Narrowing) -> Asked {
        let (mut select, values) = self.narrowed(narrowing);
        for (field, name) in self.0.visible(self.0.shown()) {
            self.0.read(&mut select, field, &name.place);
        }
        match narrowing.sort.as_ref().and_then(|(name, down)| Some((self.sortable().find(|f| f.name == *name)?, down))) {
            Some((field, down)) => {
                let text = select.shown(field, Spot::Sort, &field.place);
                select.order.push(if *down { format!("{text} DESC") } else { text });
            }
            None => sorted(&self.0, &mut select),
        }
        // Records that are alike in what they are sorted by would come on two pages, or on none.
        for key in &self.0.entity.key {
            let column = select.own(&key.value, Why::Key, &key.place);
            select.order.push(column);
        }
        let tail = format!(" LIMIT {} OFFSET {}", narrowing.limit, narrowing.offset);
        Asked { statement: self.0.reading(Purpose::Rows, select, &tail), values }
    }

    /// How many records there are, counted no further than `most`.
    pub fn count(&self, narrowing: &Narrowing, most: u32) -> Asked {
        let (select, values) = self.narrowed(narrowing);
        let engine = self.0.engine();
        let inner = select.sql(&["1".to_owned()], &format!(" LIMIT {most}"));
        let sql = format!("SELECT {} FROM ({inner}) AS {}", as_text("count(*)", engine), quoted("counted", engine));
        Asked { statement: self.0.statement(Purpose::Count, sql, select.uses), values }
    }

    /// The groups of a grouped page, with their totals.
    pub fn groups(&self, narrowing: &Narrowing) -> Option<Asked> {
        let (select, values) = self.narrowed(narrowing);
        Some(Asked { statement: groups::of_select(&self.0, select)?, values })
    }

    /// One record, by `:key_1`…
    pub fn record(&self) -> Option<Statement> {
        let mut found = Vec::new();
        records::record(&self.0, &mut found);
        found.pop()
    }

    /// The bytes of a picture or file of one record, by `:key_1`…, in hexadecimal digits; nothing where the user doesn't see the field, or it holds
    /// no bytes.
    pub fn bytes(&self, field: &str) -> Option<Statement> {
        let field =
            self.visible(self.0.shown()).find(|f| f.name == field && ["image", "file"].contains(&f.kind.as_str()) && !f.sensitive)?;
        let column = field.columns.first().filter(|_| field.formula.is_none() && self.holds_bytes(field))?;
        let mut select = self.0.select();
        let keys = std::mem::take(&mut select.columns);
        select.gives.clear();
        select.filters.extend(keys.iter().enumerate().map(|(at, key)| format!("{key} = :key_{}", at + 1)));
        let own = select.own(&column.value, Why::Field { field: field.name.clone(), spot: Spot::Shown }, &field.place);
        // Of no bytes one engine makes an empty text.
        select.filters.push(format!("{own} IS NOT NULL"));
        let sql = select.sql(&[as_hex(&own, self.0.engine())], "");
        Some(self.0.statement(Purpose::Record, sql, select.uses))
    }

    /// Whether a picture or file stands in the database itself: elsewhere a text says where it is.
    pub fn holds_bytes(&self, field: &Field) -> bool {
        let column = field.columns.first().and_then(|column| self.0.known.column(&self.0.entity.table.value, &column.value));
        column.is_some_and(|column| column.column_type.kind == Kind::Binary)
    }

    /// The records of a child list, at most so many; nothing where the role may not read them.
    pub fn children(&self, child: &'a Child, most: u32) -> Option<Statement> {
        Some(bounded(children::list(&self.0, child)?, most))
    }

    /// The records that a related set links to so many others, by `:owner_1_1`…
    pub fn related(&self, field: &'a Field, owners: usize) -> Option<Statement> {
        related::set(&self.0, field, field.related.as_ref()?, Of::These(owners))
    }

    /// What can be chosen for a field, at most so many; with `:search` those whose title has it.
    pub fn choices(&self, field: &'a Field, is_searched: bool, most: u32) -> Option<Statement> {
        Some(bounded(records::choices_with(&self.0, field, if is_searched { records::Of::Found } else { records::Of::All })?, most))
    }

    /// The choice of `:value_1`…, where it is one of those that a field offers; nothing where it offers none.
    pub fn offered(&self, field: &'a Field) -> Option<Statement> {
        records::choices_with(&self.0, field, records::Of::One)
    }

    /// The page's records, narrowed to what is asked for.
    fn narrowed(&self, narrowing: &Narrowing) -> (Select<'a>, BTreeMap<String, String>) {
        let (builder, engine) = (&self.0, self.0.engine());
        let (mut select, mut values) = (builder.select(), BTreeMap::new());
        if let Some(search) = narrowing.search.as_ref().filter(|text| !text.is_empty()) {
            let found: Vec<String> = self
                .searched()
                .map(|field| like(&as_text(&select.shown(field, Spot::Search, &field.place), engine), ":search", engine))
                .collect();
            if !found.is_empty() {
                select.filters.push(format!("({})", found.join(" OR ")));
                values.insert("search".to_owned(), containing(search));
            }
        }
        for (at, (name, filter)) in narrowing.filters.iter().enumerate() {
            let Some(field) = self.filters().find(|field| field.name == *name) else { continue };
            let own = select.field_values(field, Spot::Filter, &field.place);
            let mut put = |part: usize, value: &str| {
                let name = format!("filter_{}_{}", at + 1, part + 1);
                values.insert(name.clone(), value.to_owned());
                format!(":{name}")
            };
            match filter {
                Filter::Is(wanted) => {
                    for (part, (column, value)) in own.iter().zip(wanted).enumerate() {
                        select.filters.push(format!("{column} = {}", put(part, value)));
                    }
                }
                Filter::Empty => select.filters.extend(own.iter().map(|column| format!("{column} IS NULL"))),
                Filter::From(value) => select.filters.extend(own.first().map(|column| format!("{column} >= {}", put(0, value)))),
                Filter::To(value) => select.filters.extend(own.first().map(|column| format!("{column} <= {}", put(0, value)))),
                Filter::Has(value) => {
                    let text = own.first().map(|column| like(&as_text(column, engine), &put(0, &containing(value)), engine));
                    select.filters.extend(text);
                }
            }
        }
        if let Some(group) = &narrowing.group {
            for (at, value) in group.iter().enumerate() {
                if let Some(value) = value {
                    values.insert(format!("group_{}", at + 1), value.clone());
                }
            }
            by_group(builder, &mut select);
        }
        (select, values)
    }
}

/// Whether a field's values have an order that anybody may know.
fn is_ordered(field: &Field) -> bool {
    field.related.is_none() && !is_masked(field) && !["image", "file"].contains(&field.kind.as_str())
}

fn bounded(statement: Statement, most: u32) -> Statement {
    Statement { sql: format!("{} LIMIT {most}", statement.sql), ..statement }
}
