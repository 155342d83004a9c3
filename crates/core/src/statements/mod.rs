//! What the application asks of the database for each page and role, as SQL and as a list of needs.
//!
//! Both come from one builder, so that what the rules say of a page and what the database would refuse can't
//! drift apart: a rule looks at the needs, a test prepares the SQL.

mod builder;
mod dialect;
mod forms;
mod lists;
mod need;

pub use dialect::{as_text, positional};
pub use need::{Need, Spot, Use, Why};

use crate::definition::{Access, Entity, Model, Page, PageKind};
use crate::schema::Engine;
use builder::Builder;

/// What a statement is for.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Purpose {
    /// A page of records.
    Rows,
    /// How many there are.
    Count,
    /// Records found by one search field.
    Search(String),
    /// Records filtered by one field.
    Filter(String),
    /// Records sorted by one field.
    Sort(String),
    /// What can be chosen for a lookup.
    Choices(String),
    /// One record.
    Record,
    /// A new record.
    Insert,
    /// A changed record.
    Update,
    /// A record taken out.
    Delete,
}

/// One statement of a page.
#[derive(Debug, Clone, PartialEq)]
pub struct Statement {
    /// What it is for.
    pub purpose: Purpose,
    /// The role it is made for; absent for writes, and where there are no roles.
    pub role: Option<String>,
    /// The statement, in the engine's dialect, with named parameters.
    pub sql: String,
    /// What it needs of the database.
    pub uses: Vec<Use>,
}

impl Purpose {
    /// Whether it changes records.
    pub fn is_write(&self) -> bool {
        matches!(self, Purpose::Insert | Purpose::Update | Purpose::Delete)
    }

    /// What is done, in words for a message: `reading its rows`.
    pub fn words(&self) -> String {
        match self {
            Purpose::Rows => "reading its rows".to_owned(),
            Purpose::Count => "counting its rows".to_owned(),
            Purpose::Search(field) => format!("searching {field}"),
            Purpose::Filter(field) => format!("filtering by {field}"),
            Purpose::Sort(field) => format!("sorting by {field}"),
            Purpose::Choices(field) => format!("reading the choices of {field}"),
            Purpose::Record => "reading a record".to_owned(),
            Purpose::Insert => "adding a record".to_owned(),
            Purpose::Update => "saving a record".to_owned(),
            Purpose::Delete => "deleting a record".to_owned(),
        }
    }
}

/// Who uses a page: everybody where there are no roles, else each role that may.
pub fn users<'a>(model: &'a Model, entity: &'a Entity, page: &Page) -> Vec<Option<&'a Access>> {
    if model.app.roles.is_empty() {
        return vec![None];
    }
    entity.access.iter().filter(|a| model.app.roles.contains_key(&a.role) && a.allows(page)).map(Some).collect()
}

/// All statements of a page, for every role that may use it. A page nobody may use asks nothing.
pub fn of_page(model: &Model, entity: &Entity, page: &Page, engine: Engine) -> Vec<Statement> {
    let users = users(model, entity, page);
    let mut statements = Vec::new();
    for &user in &users {
        let builder = Builder { model, entity, page, user, engine };
        match page.kind {
            PageKind::List => lists::reads(&builder, &mut statements),
            PageKind::Detail => forms::record(&builder, &mut statements),
            PageKind::Add => forms::choices(&builder, &mut statements),
            PageKind::Edit => {
                forms::record(&builder, &mut statements);
                forms::choices(&builder, &mut statements);
            }
        }
    }
    if !users.is_empty() && !entity.read_only {
        let builder = Builder { model, entity, page, user: None, engine };
        match page.kind {
            PageKind::List if may_delete(&users) => statements.push(forms::delete(&builder)),
            PageKind::Add => statements.push(forms::insert(&builder)),
            PageKind::Edit => statements.extend(forms::update(&builder)),
            PageKind::List | PageKind::Detail => {}
        }
    }
    statements
}

fn may_delete(users: &[Option<&Access>]) -> bool {
    users.iter().any(|user| user.is_none_or(|access| access.delete))
}
