//! What the application asks of the database for each page and role, as SQL and as a list of needs.
//!
//! Both come from one builder, so that what the rules say of a page and what the database would refuse can't
//! drift apart: a rule looks at the needs, a test prepares the SQL. What each kind of page asks is in [`pages`].

mod along;
mod builder;
pub(crate) mod children;
mod dialect;
pub(crate) mod exchange;
pub(crate) mod groups;
mod importing;
pub(crate) mod lists;
mod made;
mod need;
mod pages;
mod purpose;
mod reading;
mod record_column;
pub(crate) mod records;
pub(crate) mod related;
mod relation;
mod saving;
mod select;
mod statement;
mod title_text;
pub(crate) mod writes;

pub use along::{Along, Fate};
pub use builder::Builder;
pub use dialect::{as_text, containing, literal, positional, with_values};
pub use importing::{Creating, Importing};
pub use made::Made;
pub use need::{Need, Read, Spot, Use, Why};
pub use purpose::Purpose;
pub use reading::{Asked, Filter, Narrowing, Reading};
pub use saving::Saving;
pub use statement::{Gives, Statement, users};

use crate::definition::{Access, Entity, Model, Page};
use crate::schema::Schema;

/// All statements of a page, for every role that may use it. A page nobody may use asks nothing. `known` is the schema
/// the application was made for: its engine's dialect is used, and its routines and tables are taken as they are there.
pub fn of_page(model: &Model, entity: &Entity, page: &Page, known: &Schema) -> Vec<Statement> {
    let users = users(model, entity, &|access| access.allows(page));
    let mut statements = Vec::new();
    for &user in &users {
        pages::reads(page.kind, &Builder::of_page(model, entity, page, user, known), &mut statements);
    }
    if !users.is_empty() && !entity.read_only {
        pages::writes(page.kind, &Builder::of_page(model, entity, page, None, known), &users, &mut statements);
    }
    statements
}

/// Reads a few records as a page shows them: a text for each of its fields that isn't a related set. A picture or file is
/// only said to be there.
pub fn sample<'a>(
    model: &'a Model,
    entity: &'a Entity,
    page: &'a Page,
    user: Option<&'a Access>,
    known: &'a Schema,
    records: u32,
) -> Statement {
    lists::sample(&Builder::of_page(model, entity, page, user, known), records)
}

/// All statements of an entity's imports and exports.
pub fn of_exchange(model: &Model, entity: &Entity, known: &Schema) -> Vec<Statement> {
    let mut statements = Vec::new();
    exchange::exports(model, entity, known, &mut statements);
    exchange::imports(model, entity, known, &mut statements);
    statements
}
