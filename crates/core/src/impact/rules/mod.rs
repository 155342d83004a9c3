//! The rules, one file each, and the one list of them.

use super::code;
use super::{Context, ElementKind, Finding, Lost, MetEntity, MetField, Remedy, Severity, Translation, What};
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

/// How the names of rules about code begin.
pub const ABOUT_CODE: &str = "code/";

impl Rule {
    /// Whether it is about hand-written code, or programs of the database.
    pub fn is_about_code(&self) -> bool {
        self.name.starts_with(ABOUT_CODE)
    }
}

/// Declares the rules' files and lists them.
macro_rules! rules {
    ($($file:ident),* $(,)?) => {
        $(mod $file;)*

        /// Every rule, by group.
        pub static RULES: &[Rule] = &[$($file::RULE),*];
    };
}

// A new rule is a file and a line here. (`cargo fmt` doesn't see through the macro: `.ci/run` formats the files by name.)
rules! {
    page_child_link_missing,
    page_column_missing,
    page_column_replaced,
    page_condition_broken,
    page_empty,
    page_field_unplaced,
    page_formula_broken,
    page_index_lost,
    page_key_changed,
    page_key_missing,
    page_name_case,
    page_not_writable,
    page_required_column_absent,
    page_search_type,
    page_source_broken,
    page_table_missing,
    page_version_column_missing,
    page_view_changed,
    page_written_by_database,
    lookup_available,
    lookup_choice_gone,
    lookup_choice_new,
    lookup_condition_broken,
    lookup_cycle,
    lookup_delete_rule_changed,
    lookup_display_missing,
    lookup_join_broken,
    lookup_join_needs_more,
    lookup_no_longer_enforced,
    lookup_not_unique,
    lookup_target_changed,
    lookup_target_missing,
    lookup_type_mismatch,
    lookup_value_missing,
    label_comment_changed,
    label_duplicate,
    label_orphan,
    label_stale,
    label_title_broken,
    label_translation_fuzzy,
    label_untranslated,
    access_field_rule_orphan,
    access_grant_missing,
    access_new_field_exposed,
    access_page_gone,
    access_protection_lost,
    access_role_unused,
    access_row_filter_broken,
    access_row_filter_type,
    access_row_policy_changed,
    access_sensitive_exposed,
    access_sensitive_in_lookup,
    access_widened_by_view,
    value_check_changed,
    value_collation,
    value_default_changed,
    value_default_gone,
    value_optional_now,
    value_precision_lost,
    value_range_changed,
    value_required_now,
    value_room_gained,
    value_rule_broken,
    value_time_zone,
    value_too_long,
    value_type_changed,
    value_unique_now,
    value_unit_suspected,
    exchange_export_broken,
    exchange_import_broken,
    exchange_import_key_not_unique,
    exchange_import_misses_required,
    exchange_outward_changed,
    exchange_outward_exposed,
    code_event_broken,
    code_old_name,
    code_routine_broken,
    code_trigger_broken,
    code_view_broken,
    data_check_violated,
    data_choice_unknown,
    data_does_not_convert,
    data_duplicate_key,
    data_null_in_required,
    data_orphan_rows,
    data_too_long,
    definition_duplicate,
    definition_page_unreachable,
    definition_password_kept,
    definition_sql_too_deep,
    definition_unknown_column,
    definition_unknown_key,
    definition_unknown_name,
    definition_wrong_kind,
}

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

/// A finding about an entry of a catalogue, at its place.
fn of_translation(context: &Context<'_>, rule: &Rule, entry: &Translation, message: String) -> Finding {
    let mut finding = Finding::new(rule.name, rule.severity, message);
    (finding.at, finding.remedy) = (Some(entry.at.clone()), Remedy::None);
    finding.entity = entry.context.split('/').next().filter(|e| context.model.entities.contains_key(*e)).map(str::to_owned);
    finding
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
        let own = own.filter(|own| change.column.is_some() && same(own, table_now));
        let lower = text.to_ascii_lowercase().replace(['`', '"'], "");
        let record = ["old", "new"].iter().any(|r| lower.contains(&format!("{r}.{}", name.to_ascii_lowercase())));
        if own.is_some() && record {
            return Some((at, true));
        }
        // A name that is still something's says nothing by itself.
        let speaks = change.column.is_none() || [change.table.as_str(), table_now].iter().any(|t| code::mentions(text, t));
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
            What::Ambiguous { name, offset } => {
                let place = Spanned { value: text.clone(), place: lost.used.place.clone(), quote: 1 }.inside(*offset);
                let message = format!("{what} fails: more than one of its tables has a column `{}`", shown(name));
                let gained = |c: &crate::changes::Change| {
                    let new = match c.kind {
                        ChangeKind::ColumnAdded => c.column.as_deref(),
                        ChangeKind::ColumnRenamed => c.to.as_deref(),
                        _ => None,
                    };
                    new.is_some_and(|new| same(new, name))
                };
                let cause = context.input.comparison.changes.iter().position(gained);
                (rule.severity, message, place, (cause, Remedy::Hand))
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
    tell: impl Fn(&Lost<'_>, &str) -> Option<(Option<String>, String)>,
) {
    use ChangeKind::{BecameRequired, ColumnAdded, ColumnRenamed, DefaultChanged, GeneratedChanged};
    for lost in context.lost() {
        let What::RequiredAbsent { table, column } = &lost.what else { continue };
        let Some((field, message)) = tell(lost, column) else { continue };
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
        if let Why::SaveAs { role } = &lost.used.why {
            finding.role = Some(role.clone());
        }
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
            finding.at = Some(Location::at(&problem.file, problem.at));
            finding.help = problem.nearest.as_ref().map(|n| format!("did you mean `{}`?", shown(n))).unwrap_or_default();
            finding
        })
        .collect()
}
