//! What drafting fields looks at.

use super::conventions::Conventions;
use super::names::NamesInUse;
use super::referable::Referable;
use crate::name;
use crate::schema::Schema;
use std::borrow::Cow;

/// What drafting fields looks at.
pub(super) struct Names<'a> {
    pub schema: &'a Schema,
    pub conventions: &'a Conventions,
    pub in_use: &'a NamesInUse,
    /// The word that tables begin with.
    pub prefix: Option<String>,
    /// Tables by what refers to them by its name.
    pub referable: Referable,
}

impl Names<'_> {
    /// What a table is called, without the word that tables begin with.
    pub fn called<'t>(&self, table: &'t str) -> Cow<'t, str> {
        let own = name::split_qualified(table).1;
        let words = name::words(own);
        match &self.prefix {
            Some(prefix) if words.len() > 1 && words.first() == Some(prefix) => Cow::Owned(words[1..].join("_")),
            _ => Cow::Borrowed(own),
        }
    }
}
