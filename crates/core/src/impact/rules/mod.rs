//! The rules, one file each, and the one list of them.

mod access_field_rule_orphan;
mod access_grant_missing;
mod access_new_field_exposed;
mod access_page_gone;
mod access_protection_lost;
mod access_role_unused;
mod access_row_filter_broken;
mod access_row_filter_type;
mod access_row_policy_changed;
mod access_sensitive_exposed;
mod access_sensitive_in_lookup;
mod access_widened_by_view;
mod code_old_name;
mod code_routine_broken;
mod code_trigger_broken;
mod code_view_broken;
mod data_check_violated;
mod data_choice_unknown;
mod data_does_not_convert;
mod data_duplicate_key;
mod data_null_in_required;
mod data_orphan_rows;
mod data_too_long;
mod definition_duplicate;
mod definition_page_unreachable;
mod definition_unknown_column;
mod definition_unknown_key;
mod definition_unknown_name;
mod definition_wrong_kind;
mod exchange_export_broken;
mod exchange_import_broken;
mod exchange_import_key_not_unique;
mod exchange_import_misses_required;
mod exchange_outward_changed;
mod exchange_outward_exposed;
mod label_comment_changed;
mod label_duplicate;
mod label_orphan;
mod label_stale;
mod label_title_broken;
mod label_translation_fuzzy;
mod label_untranslated;
mod lookup_available;
mod lookup_choice_gone;
mod lookup_choice_new;
mod lookup_condition_broken;
mod lookup_cycle;
mod lookup_delete_rule_changed;
mod lookup_display_missing;
mod lookup_join_broken;
mod lookup_join_needs_more;
mod lookup_no_longer_enforced;
mod lookup_not_unique;
mod lookup_target_changed;
mod lookup_target_missing;
mod lookup_type_mismatch;
mod lookup_value_missing;
mod page_child_link_missing;
mod page_column_missing;
mod page_condition_broken;
mod page_empty;
mod page_field_unplaced;
mod page_formula_broken;
mod page_index_lost;
mod page_key_changed;
mod page_key_missing;
mod page_name_case;
mod page_not_writable;
mod page_required_column_absent;
mod page_search_type;
mod page_source_broken;
mod page_table_missing;
mod page_version_column_missing;
mod page_view_changed;
mod page_written_by_database;
mod value_check_changed;
mod value_collation;
mod value_default_changed;
mod value_default_gone;
mod value_optional_now;
mod value_precision_lost;
mod value_range_changed;
mod value_required_now;
mod value_room_gained;
mod value_rule_broken;
mod value_time_zone;
mod value_too_long;
mod value_type_changed;
mod value_unique_now;
mod value_unit_suspected;

use super::code;
use super::{Context, ElementKind, Finding, Lost, MetEntity, MetField, Remedy, Severity, What};
use crate::changes::ChangeKind;
use crate::definition::{ProblemKind, Spanned};
use crate::impact::finding::Location;
use crate::name::{same, shown};
use crate::schema::{ColumnType, Kind, TypeRelation};
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
    /// The kinds of changes that can cause it; none for what is wrong in the definition itself.
    pub changes: &'static [ChangeKind],
    /// The kinds of elements it is about.
    pub elements: &'static [ElementKind],
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
    page_key_changed::RULE,
    page_search_type::RULE,
    page_empty::RULE,
    page_field_unplaced::RULE,
    page_index_lost::RULE,
    page_name_case::RULE,
    page_view_changed::RULE,
    lookup_target_missing::RULE,
    lookup_display_missing::RULE,
    lookup_value_missing::RULE,
    lookup_condition_broken::RULE,
    lookup_no_longer_enforced::RULE,
    lookup_target_changed::RULE,
    lookup_not_unique::RULE,
    lookup_available::RULE,
    lookup_delete_rule_changed::RULE,
    lookup_type_mismatch::RULE,
    lookup_choice_gone::RULE,
    lookup_choice_new::RULE,
    lookup_cycle::RULE,
    exchange_export_broken::RULE,
    exchange_import_broken::RULE,
    exchange_import_misses_required::RULE,
    exchange_import_key_not_unique::RULE,
    exchange_outward_changed::RULE,
    exchange_outward_exposed::RULE,
    value_rule_broken::RULE,
    value_required_now::RULE,
    value_optional_now::RULE,
    value_too_long::RULE,
    value_room_gained::RULE,
    value_type_changed::RULE,
    value_precision_lost::RULE,
    value_range_changed::RULE,
    value_check_changed::RULE,
    value_unique_now::RULE,
    value_default_changed::RULE,
    value_default_gone::RULE,
    value_collation::RULE,
    value_unit_suspected::RULE,
    value_time_zone::RULE,
    label_title_broken::RULE,
    label_orphan::RULE,
    label_stale::RULE,
    label_duplicate::RULE,
    label_untranslated::RULE,
    label_translation_fuzzy::RULE,
    label_comment_changed::RULE,
    access_row_filter_broken::RULE,
    access_field_rule_orphan::RULE,
    access_protection_lost::RULE,
    access_new_field_exposed::RULE,
    access_row_filter_type::RULE,
    access_sensitive_exposed::RULE,
    access_sensitive_in_lookup::RULE,
    access_page_gone::RULE,
    access_role_unused::RULE,
    access_grant_missing::RULE,
    access_row_policy_changed::RULE,
    access_widened_by_view::RULE,
    code_old_name::RULE,
    code_view_broken::RULE,
    code_trigger_broken::RULE,
    code_routine_broken::RULE,
    data_null_in_required::RULE,
    data_too_long::RULE,
    data_orphan_rows::RULE,
    data_duplicate_key::RULE,
    data_choice_unknown::RULE,
    data_does_not_convert::RULE,
    data_check_violated::RULE,
    definition_unknown_name::RULE,
    definition_unknown_column::RULE,
    definition_duplicate::RULE,
    definition_unknown_key::RULE,
    definition_wrong_kind::RULE,
    definition_page_unreachable::RULE,
];

/// A finding of a change that a field met, on these pages.
fn of_field(rule: &Rule, severity: Severity, met: &MetField<'_>, pages: Vec<String>, message: String) -> Finding {
    let remedy = if severity == Severity::Note { Remedy::None } else { Remedy::Hand };
    Finding::new(rule.name, severity, message)
        .entity(&met.entity.name)
        .field(&met.field.name)
        .pages(pages)
        .at(&met.field.place)
        .column(&met.entity.table.value, &met.before.name)
        .because((Some(met.at), remedy))
}

/// A finding of a change that an entity met.
fn of_entity(rule: &Rule, severity: Severity, met: &MetEntity<'_>, message: String) -> Finding {
    let remedy = if severity == Severity::Note { Remedy::None } else { Remedy::Hand };
    Finding::new(rule.name, severity, message).entity(&met.entity.name).at(&met.entity.table.place).because((Some(met.at), remedy))
}

/// Whether a key's text, as changes tell it, is over these columns.
fn begins_with(text: Option<&str>, columns: &[String]) -> bool {
    text.is_some_and(|text| text.starts_with(&format!("({})", columns.join(", "))))
}

/// Values as a sentence lists them.
fn listed(values: &[&str]) -> String {
    values.iter().map(|v| format!("'{}'", shown(v))).collect::<Vec<_>>().join(", ")
}

/// Whether a type that took another's place keeps less of a number or a moment.
fn loses_precision(old: &ColumnType, new: &ColumnType) -> bool {
    let number = |t: &ColumnType| matches!(t.kind, Kind::Integer | Kind::Decimal | Kind::Float);
    let moment = |t: &ColumnType| matches!(t.kind, Kind::Date | Kind::DateTime | Kind::Time);
    let alike = number(old) && number(new) || moment(old) && moment(new);
    // A zone that came or went is another matter.
    alike && old.zone == new.zone && old.relation(new) == TypeRelation::Lossy
}

/// The first change whose old name a program of the database has, and whether it is a column of its own record (`OLD.…`).
fn program_names(context: &Context<'_>, text: &str, own: Option<&str>) -> Option<(usize, bool)> {
    for (at, change) in context.input.comparison.changes.iter().enumerate() {
        let Some(name) = code::lost_name(change) else { continue };
        if !crate::sql::mentions_word(text, &[name], context.changed().engine) {
            continue;
        }
        let table_now = context.table_name_now(&change.table);
        let own = own.filter(|own| change.column.is_some() && same(own, &table_now));
        let lower = text.to_ascii_lowercase().replace(['`', '"'], "");
        let record = ["old", "new"].iter().any(|r| lower.contains(&format!("{r}.{}", name.to_ascii_lowercase())));
        if own.is_some() && record {
            return Some((at, true));
        }
        // A name that is still something's says nothing by itself.
        let speaks = change.column.is_none() || [&change.table, &table_now].iter().any(|t| code::mentions(text, t));
        let elsewhere = context.changed().tables.iter().any(|t| t.column(name).is_some() && code::mentions(text, &t.name));
        if speaks && !elsewhere && own.is_none() {
            return Some((at, false));
        }
    }
    None
}

/// What became of what a change took away.
fn fate(context: &Context<'_>, at: usize) -> String {
    context.input.comparison.changes.get(at).map_or_else(String::new, |change| match change.kind {
        ChangeKind::RoutineDropped => format!("the routine `{}` is gone", shown(change.object.as_deref().unwrap_or_default())),
        _ => context.fate(&change.table, change.column.as_deref()),
    })
}

/// Reports what was counted in the data for a rule, where it is more than none.
fn report_counts(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>) {
    for counted in context.input.around.data.iter().filter(|c| c.count.rule == rule.name && c.records > 0) {
        let count = &counted.count;
        let of = if counted.more { format!("the first {}", counted.of) } else { counted.of.to_string() };
        let message = format!("{} of {of} records {}", counted.records, count.what);
        let mut finding = Finding::new(rule.name, rule.severity, message).entity(&count.entity).help(count.show.clone());
        finding.field.clone_from(&count.field);
        finding.at = Some(count.at.clone());
        let cause = count.column.as_ref().and_then(|(table, column)| {
            let of_column = context.cause(table, Some(column), rule.changes);
            of_column.or_else(|| context.cause_about(table, column, rule.changes))
        });
        out.push(finding.because((cause, Remedy::Hand)));
    }
}

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
            What::WrongType { table, column, offset, operation, .. } => {
                let place = Spanned { value: text.clone(), place: lost.used.place.clone(), quote: 1 }.inside(*offset);
                let message =
                    format!("{what} fails: `{}.{}` isn't typed for it any more ({})", shown(table), shown(column), shown(operation));
                (rule.severity, message, place, (context.cause_of_type(table, column), Remedy::Hand))
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
    use ChangeKind::{BecameRequired, ColumnAdded, ColumnRenamed, DefaultChanged, GeneratedChanged};
    for lost in context.lost() {
        let What::RequiredAbsent { table, column } = &lost.what else { continue };
        let Some((field, message)) = tell(&lost.used.why, column) else { continue };
        let cause = context.cause(table, Some(column), &[ColumnAdded]);
        let cause =
            cause.or_else(|| context.cause(table, Some(column), &[BecameRequired, DefaultChanged, GeneratedChanged, ColumnRenamed]));
        // A column that has its new name is one the merge carries the field to.
        let old = context.column_before(table, column);
        let because = match old {
            Some((table, column)) => context.cause_of_loss(&table, Some(&column)),
            None => (cause, Remedy::Hand),
        };
        let mut finding = Finding::new(rule.name, rule.severity, message)
            .entity(&lost.entity.name)
            .pages(lost.pages.clone())
            .at(&lost.used.place)
            .column(table, column)
            .settled_by(&["new-field"])
            .because(because);
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
