//! What a change breaks: findings of rules over the definition and the two schemas.
//!
//! [`RULES`] lists the rules once; nothing else knows them one by one. Most rules look at what pages ask of
//! the database ([`crate::statements`]) and at what of that the changed schema can't give ([`Context::lost`]).

mod context;
mod finding;
mod rules;

pub use context::{Context, Lost, What};
pub use finding::{Finding, Location, Remedy, Severity};
pub use rules::{Docs, RULES, Rule};

use crate::changes::Comparison;
use crate::definition::{Model, Tree};
use crate::schema::Schema;

/// What the rules look at.
#[derive(Debug, Clone, Copy)]
pub struct Input<'a> {
    /// The definition as written.
    pub tree: &'a Tree,
    /// The schema it last agreed with.
    pub accepted: &'a Schema,
    /// The schema as it is now.
    pub changed: &'a Schema,
    /// What changed between them.
    pub comparison: &'a Comparison,
}

/// All findings: breaks first, then by entity, page and place.
pub fn impact(input: Input<'_>) -> Vec<Finding> {
    let model = Model::of(input.tree);
    let context = Context::new(input, &model);
    let mut findings = Vec::new();
    for rule in RULES {
        (rule.check)(&context, &mut findings);
    }
    findings.sort_by(|a, b| {
        (a.severity, &a.entity, &a.at, a.rule, &a.pages, &a.message).cmp(&(b.severity, &b.entity, &b.at, b.rule, &b.pages, &b.message))
    });
    findings.dedup();
    findings
}

/// The findings of a definition by itself, on the schema it agrees with: nothing changed, and the rules of
/// the `definition` group speak too.
pub fn check(tree: &Tree, schema: &Schema) -> Vec<Finding> {
    impact(Input { tree, accepted: schema, changed: schema, comparison: &Comparison::default() })
}
