//! What drafting fields looks at.

use super::conventions::Conventions;
use super::names::NamesInUse;
use crate::schema::Schema;

/// What drafting fields looks at.
pub(super) struct Names<'a> {
    pub schema: &'a Schema,
    pub conventions: &'a Conventions,
    pub in_use: &'a NamesInUse,
}
