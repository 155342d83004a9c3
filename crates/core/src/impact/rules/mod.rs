//! The rules, one file each, and the one list of them.

mod access_field_rule_orphan;
mod access_new_field_exposed;
mod access_protection_lost;
mod access_row_filter_broken;
mod definition_unknown_column;
mod definition_unknown_key;
mod definition_unknown_name;
mod definition_wrong_kind;
mod label_orphan;
mod label_title_broken;
mod lookup_condition_broken;
mod lookup_display_missing;
mod lookup_target_missing;
mod lookup_value_missing;
mod page_column_missing;
mod page_condition_broken;
mod page_key_missing;
mod page_not_writable;
mod page_required_column_absent;
mod page_table_missing;
mod page_written_by_database;

use super::{Context, Finding, Remedy, Severity};
use crate::definition::{Place, ProblemKind, Spanned};
use crate::impact::finding::Location;
use crate::name::shown;
use crate::statements::{Need, Use};

/// What a rule is, for people.
#[derive(Debug, Clone, Copy)]
pub struct Docs {
    /// What it finds.
    pub detects: &'static str,
    /// Why that matters.
    pub matters: &'static str,
    /// A made-up definition or schema before…
    pub before: &'static str,
    /// …and what happens to it.
    pub after: &'static str,
    /// What to do, and what the merge does.
    pub to_do: &'static str,
}

/// A rule.
#[derive(Debug, Clone, Copy)]
pub struct Rule {
    /// `group/name`
    pub name: &'static str,
    /// The usual severity.
    pub severity: Severity,
    /// For people.
    pub docs: Docs,
    /// Adds its findings.
    pub check: fn(&Context<'_>, &mut Vec<Finding>),
}

/// Every rule. A new one is a file and a line here.
pub static RULES: &[Rule] = &[
    page_table_missing::RULE,
    page_column_missing::RULE,
    page_key_missing::RULE,
    page_required_column_absent::RULE,
    page_written_by_database::RULE,
    page_not_writable::RULE,
    page_condition_broken::RULE,
    lookup_target_missing::RULE,
    lookup_display_missing::RULE,
    lookup_value_missing::RULE,
    lookup_condition_broken::RULE,
    label_title_broken::RULE,
    label_orphan::RULE,
    access_row_filter_broken::RULE,
    access_field_rule_orphan::RULE,
    access_protection_lost::RULE,
    access_new_field_exposed::RULE,
    definition_unknown_name::RULE,
    definition_unknown_column::RULE,
    definition_unknown_key::RULE,
    definition_wrong_kind::RULE,
];

/// The message of a condition that names something gone, with its cause.
fn condition_broken(
    context: &Context<'_>,
    used: &Use,
    what: &str,
    name: &str,
    table: Option<&str>,
    is_table: bool,
) -> (String, (Option<usize>, Remedy)) {
    let own = match &used.need {
        Need::Condition { table, .. } => table.as_str(),
        _ => "",
    };
    let (table, column) = if is_table { (name, None) } else { (table.unwrap_or(own), Some(name)) };
    (format!("{what} fails: {}", context.fate(table, column)), context.cause_of_loss(table, column))
}

/// The place of a byte of a condition's text.
fn inside(used: &Use, offset: usize) -> Place {
    match &used.need {
        Need::Condition { text, .. } => Spanned { value: text.clone(), place: used.place.clone(), quote: 1 }.inside(offset),
        _ => used.place.clone(),
    }
}

/// The definition's own problems of one kind, seen against the accepted schema.
fn problems(context: &Context<'_>, kind: ProblemKind, rule: &'static str) -> Vec<Finding> {
    context
        .problems()
        .iter()
        .filter(|p| p.kind == kind)
        .map(|problem| {
            let mut finding = Finding::new(rule, Severity::Break, format!("{}: {}", shown(&problem.path), problem.message));
            if let crate::definition::FileKey::Entity(entity) = &problem.file {
                finding.entity = Some(entity.clone());
            }
            finding.at = Some(Location { file: problem.file.path(), line: problem.at.line.max(1), column: problem.at.column.max(1) });
            finding.help = problem.nearest.as_ref().map(|n| format!("did you mean `{}`?", shown(n))).unwrap_or_default();
            finding
        })
        .collect()
}
