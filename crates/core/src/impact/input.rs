//! What the rules are given.

use super::around::Around;
use crate::changes::Comparison;
use crate::definition::Tree;
use crate::schema::Schema;

/// What the rules look at.
#[derive(Debug, Clone, Copy)]
pub struct ImpactInput<'a> {
    /// The definition as written.
    pub tree: &'a Tree,
    /// The schema it last agreed with.
    pub accepted: &'a Schema,
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// What changed between them.
    pub comparison: &'a Comparison,
    /// What there is beside them.
    pub around: &'a Around,
}

impl ImpactInput<'_> {
    /// Whether the definition is looked at by itself: nothing changed.
    pub fn is_check(&self) -> bool {
        std::ptr::eq(self.accepted, self.changed)
    }
}
