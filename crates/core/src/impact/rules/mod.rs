//! The rules, one file each, and the one list of them.

mod access_field_rule_orphan;
mod access_new_field_exposed;
mod access_protection_lost;
mod access_row_filter_broken;
mod definition_duplicate;
mod definition_unknown_column;
mod definition_unknown_key;
mod definition_unknown_name;
mod definition_wrong_kind;
mod exchange_export_broken;
mod exchange_import_broken;
mod exchange_import_misses_required;
mod label_orphan;
mod label_title_broken;
mod lookup_condition_broken;
mod lookup_display_missing;
mod lookup_join_broken;
mod lookup_join_needs_more;
mod lookup_target_missing;
mod lookup_value_missing;
mod page_child_link_missing;
mod page_column_missing;
mod page_condition_broken;
mod page_formula_broken;
mod page_key_missing;
mod page_not_writable;
mod page_required_column_absent;
mod page_source_broken;
mod page_table_missing;
mod page_version_column_missing;
mod page_written_by_database;
mod value_rule_broken;

use super::{Context, Finding, Lost, Remedy, Severity, What};
use crate::definition::{ProblemKind, Spanned};
use crate::impact::finding::Location;
use crate::name::shown;
use crate::statements::{Need, Why};

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
    lookup_join_broken::RULE,
    lookup_join_needs_more::RULE,
    page_child_link_missing::RULE,
    page_formula_broken::RULE,
    page_source_broken::RULE,
    page_version_column_missing::RULE,
    lookup_target_missing::RULE,
    lookup_display_missing::RULE,
    lookup_value_missing::RULE,
    lookup_condition_broken::RULE,
    exchange_export_broken::RULE,
    exchange_import_broken::RULE,
    exchange_import_misses_required::RULE,
    value_rule_broken::RULE,
    label_title_broken::RULE,
    label_orphan::RULE,
    access_row_filter_broken::RULE,
    access_field_rule_orphan::RULE,
    access_protection_lost::RULE,
    access_new_field_exposed::RULE,
    definition_unknown_name::RULE,
    definition_unknown_column::RULE,
    definition_duplicate::RULE,
    definition_unknown_key::RULE,
    definition_wrong_kind::RULE,
];

/// What a condition belongs to.
#[derive(Default)]
struct Subject {
    what: String,
    field: Option<String>,
    role: Option<String>,
}

/// Reports the conditions of one kind that name something gone, or may.
fn report_conditions(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>, subject: impl Fn(&Why) -> Option<Subject>) {
    for lost in context.lost() {
        let Some(Subject { what, field, role }) = subject(&lost.used.why) else { continue };
        let (Need::Condition { table: own, text, .. } | Need::Statement { table: own, text }) = &lost.used.need else { continue };
        let (severity, message, place, because) = match &lost.what {
            What::Condition { name, table, is_table, offset } => {
                let (table, column) = if *is_table { (name, None) } else { (table.as_ref().unwrap_or(own), Some(name.as_str())) };
                let place = Spanned { value: text.clone(), place: lost.used.place.clone(), quote: 1 }.inside(*offset);
                (rule.severity, format!("{what} fails: {}", context.fate(table, column)), place, context.cause_of_loss(table, column))
            }
            What::DoubtfulCondition { name } => {
                let message =
                    format!("{what} may fail: it mentions `{}`, which is gone, in SQL that can't be analysed with certainty", shown(name));
                let cause = context
                    .input
                    .comparison
                    .changes
                    .iter()
                    .position(|c| c.kind.loses_a_name() && c.column.as_ref().unwrap_or(&c.table) == name);
                (Severity::Risk, message, lost.used.place.clone(), (cause, Remedy::Hand))
            }
            _ => continue,
        };
        let mut finding =
            Finding::new(rule.name, severity, message).entity(&lost.entity.name).pages(lost.pages.clone()).at(&place).because(because);
        (finding.field, finding.role) = (field, role);
        out.push(finding);
    }
}

/// How a missing table or column is told.
struct Missing {
    message: String,
    field: Option<String>,
}

impl Missing {
    fn new(message: String) -> Missing {
        Missing { message, field: None }
    }

    fn of(field: &str, message: String) -> Missing {
        Missing { message, field: Some(field.to_owned()) }
    }
}

/// Reports the missing tables and columns, and the writes refused, that concern one kind of element.
fn missing(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>, tell: impl Fn(&Lost<'_>, &str) -> Option<Missing>) {
    for lost in context.lost() {
        let (table, column) = match &lost.what {
            What::Table { table, .. } => (table, None),
            What::Column { table, column } => (table, Some(column.as_str())),
            What::Condition { name, table, is_table, .. } if !*is_table => match table {
                Some(table) => (table, Some(name.as_str())),
                None => (name, None),
            },
            What::Condition { name, .. } => (name, None),
            What::WrittenByDatabase { table, column } => (table, Some(column.as_str())),
            What::Refused { table, .. } => (table, None),
            _ => continue,
        };
        let fate = match &lost.what {
            What::WrittenByDatabase { .. } => format!("the database writes `{}` itself", shown(column.unwrap_or_default())),
            What::Refused { .. } => format!("`{}` takes no such writes", shown(table)),
            _ => context.fate(table, column),
        };
        let Some(Missing { message, field }) = tell(lost, &fate) else { continue };
        let mut finding = Finding::new(rule.name, rule.severity, message)
            .entity(&lost.entity.name)
            .pages(lost.pages.clone())
            .at(&lost.used.place)
            .because(context.cause_of_loss(table, column));
        finding.field = field;
        out.push(finding);
    }
}

/// Reports columns that a write leaves out although the database insists on them.
fn required_absent(
    context: &Context<'_>,
    rule: &Rule,
    out: &mut Vec<Finding>,
    tell: impl Fn(&Why, &str) -> Option<(Option<String>, String)>,
) {
    use crate::changes::ChangeKind::{BecameRequired, ColumnAdded, DefaultChanged, GeneratedChanged};
    for lost in context.lost() {
        let What::RequiredAbsent { table, column } = &lost.what else { continue };
        let Some((field, message)) = tell(&lost.used.why, column) else { continue };
        let cause = context.cause(table, Some(column), &[ColumnAdded, BecameRequired, DefaultChanged, GeneratedChanged]);
        let mut finding = Finding::new(rule.name, rule.severity, message)
            .entity(&lost.entity.name)
            .pages(lost.pages.clone())
            .at(&lost.used.place)
            .because((cause, Remedy::Hand));
        finding.field = field;
        out.push(finding);
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
