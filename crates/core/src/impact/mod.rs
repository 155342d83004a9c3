//! What a change breaks: findings of rules over the definition and the two schemas.
//!
//! [`RULES`] lists the rules once; nothing else knows them one by one. Most rules look at what pages ask of
//! the database ([`crate::statements`]) and at what of that the changed schema can't give ([`Context::lost`]).

mod around;
mod baseline;
pub mod code;
mod concerned;
mod context;
mod count;
pub mod data;
mod element_kind;
mod failing;
mod finding;
mod follow_up;
mod input;
mod lost_name;
pub mod matrix;
mod met;
pub mod named;
mod patch;
mod replaced_condition;
mod reversed;
mod rule;
mod rules;
mod sound;
mod typed;

pub use around::{Around, Translation};
pub use baseline::Baseline;
pub use context::{Context, Lost, What};
pub use element_kind::ElementKind;
pub use finding::{Fate, Finding, Location, Remedy, Severity};
pub use follow_up::{FollowUp, concerned, concerned_part, follow_ups_of_change, place, to_place, to_translate};
pub use input::ImpactInput;
pub use lost_name::{before_losses, carried, is_lost_name, renamed_table};
pub use met::{MetEntity, MetField, MetLimits};
pub use patch::{Rewritten, rewritten};
pub use replaced_condition::{replaced_conditions, rule_set_aside};
pub use reversed::{Named, since, takes_back};
pub use rule::{Docs, Rule};
#[cfg(test)]
pub use rules::CASES;
pub use rules::RULES;

use crate::changes::Comparison;
use crate::definition::{Model, Tree};
use crate::schema::Schema;
use rayon::prelude::*;
use std::collections::BTreeSet;

/// All findings: breaks first, then by entity and place.
pub fn impact(input: ImpactInput<'_>) -> Vec<Finding> {
    impact_by(input, &|_| true)
}

/// The findings of some rules.
fn impact_by(input: ImpactInput<'_>, wanted: &(dyn Fn(&Rule) -> bool + Sync)) -> Vec<Finding> {
    let model = Model::of(input.tree);
    let mut context = Context::new(input, &model);
    if RULES.iter().any(|rule| rule.is_about_definition() && wanted(rule)) {
        context = context.with_problems();
    }
    let told = |rule: &Rule| {
        let mut findings = Vec::new();
        (rule.check)(&context, &mut findings);
        findings
    };
    let mut findings: Vec<Finding> = RULES.par_iter().filter(|rule| wanted(rule)).flat_map_iter(told).collect();
    findings.sort_by(|a, b| {
        (a.severity, &a.entity, &a.at, a.rule, &a.message, &a.pages).cmp(&(b.severity, &b.entity, &b.at, b.rule, &b.message, &b.pages))
    });
    let mut findings = on_all_their_pages(findings);
    // What was so before and hurts nobody is for `check` to tell.
    findings.retain(|f| input.is_check() || f.severity != Severity::Note || f.cause.is_some());
    findings
}

/// The entities of which something is told that no change is the cause of, so that it is told of the next change too.
pub fn told_whatever_changes(findings: &[Finding]) -> BTreeSet<String> {
    let told = findings.iter().filter(|f| f.cause.is_none() && f.severity != Severity::Note);
    told.filter_map(|f| f.entity.clone()).collect()
}

/// The same before anything changed: told without a change to tell it of.
pub fn told_without_change(tree: &Tree, schema: &Schema, around: &Around) -> BTreeSet<String> {
    let comparison = Comparison::default();
    let input = ImpactInput { tree, accepted: schema, changed: schema, comparison: &comparison, around };
    told_whatever_changes(&impact_by(input, &|rule| !rule.is_about_definition()))
}

/// One finding for all pages of which a rule says the same, in the same place: they stand one behind the other.
fn on_all_their_pages(findings: Vec<Finding>) -> Vec<Finding> {
    let mut merged: Vec<Finding> = Vec::with_capacity(findings.len());
    for mut finding in findings {
        let pages = std::mem::take(&mut finding.pages);
        match merged.last_mut().filter(|known| is_same_but_pages(known, &finding)) {
            Some(known) => {
                let more: Vec<String> = pages.into_iter().filter(|page| !known.pages.contains(page)).collect();
                known.pages.extend(more);
            }
            None => merged.push(Finding { pages, ..finding }),
        }
    }
    merged
}

fn is_same_but_pages(one: &Finding, other: &Finding) -> bool {
    let said = |f: &Finding| (f.rule, f.severity, f.cause, f.remedy);
    said(one) == said(other)
        && (&one.entity, &one.field, &one.role, &one.at) == (&other.entity, &other.field, &other.role, &other.at)
        && (&one.message, &one.help, &one.places) == (&other.message, &other.help, &other.places)
}

/// The findings of a definition by itself, on the schema it agrees with: nothing changed, and the rules of
/// the `definition` group speak too.
pub fn check(tree: &Tree, schema: &Schema) -> Vec<Finding> {
    check_with(tree, schema, &Around::default())
}

/// The same with what there is beside.
pub fn check_with(tree: &Tree, schema: &Schema, around: &Around) -> Vec<Finding> {
    impact(ImpactInput { tree, accepted: schema, changed: schema, comparison: &Comparison::default(), around })
}
