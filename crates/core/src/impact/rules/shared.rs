//! What several rules say alike.

use crate::changes::ChangeKind;
use crate::definition::{FileKey, ProblemKind, Spanned};
use crate::impact::code;
use crate::impact::{Context, Fate, Finding, Location, Lost, MetEntity, MetField, Remedy, Rule, Severity, Translation, What};
use crate::name::{same, shown};
use crate::schema::{ColumnType, Kind, TypeRelation};
use crate::statements::{Need, Why};

/// A finding of a change that a field met, on these pages.
pub fn of_field(rule: &Rule, severity: Severity, met: &MetField<'_>, pages: Vec<String>, message: String) -> Finding {
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
pub fn of_entity(rule: &Rule, severity: Severity, met: &MetEntity<'_>, message: String) -> Finding {
    let remedy = if severity == Severity::Note { Remedy::None } else { Remedy::Hand };
    Finding::new(rule.name, severity, message).entity(&met.entity.name).at(&met.entity.table.place).because((Some(met.at), remedy))
}

/// A finding about an entry of a catalogue, at its place.
pub fn of_translation(context: &Context<'_>, rule: &Rule, entry: &Translation, message: String) -> Finding {
    let mut finding = Finding::new(rule.name, rule.severity, message);
    (finding.at, finding.remedy) = (Some(entry.at.clone()), Remedy::None);
    finding.entity = entry.context.split('/').next().filter(|e| context.model.entities.contains_key(*e)).map(str::to_owned);
    finding
}

/// Whether a key's text, as changes tell it, is over these columns.
pub fn begins_with(text: Option<&str>, columns: &[String]) -> bool {
    text.is_some_and(|text| text.starts_with(&format!("({})", columns.join(", "))))
}

/// Values as a sentence lists them.
pub fn listed(values: &[&str]) -> String {
    values.iter().map(|v| format!("'{}'", shown(v))).collect::<Vec<_>>().join(", ")
}

/// Whether a type that took another's place keeps less of a number or a moment.
pub fn loses_precision(old: &ColumnType, new: &ColumnType) -> bool {
    let number = |t: &ColumnType| matches!(t.kind, Kind::Integer | Kind::Decimal | Kind::Float);
    let moment = |t: &ColumnType| matches!(t.kind, Kind::Date | Kind::DateTime | Kind::Time);
    let alike = number(old) && number(new) || moment(old) && moment(new);
    // A zone that came or went is another matter.
    alike && old.zone == new.zone && old.relation(new) == TypeRelation::Lossy
}

/// The first change whose old name a program of the database has, and whether it is a column of its own record (`OLD.…`).
pub fn program_names(context: &Context<'_>, text: &str, own: Option<&str>) -> Option<(usize, bool)> {
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
pub fn fate(context: &Context<'_>, at: usize) -> Fate {
    match context.input.comparison.changes.get(at) {
        Some(change) if change.kind == ChangeKind::RoutineDropped => {
            Fate::other(format!("the routine `{}` is gone", shown(change.object.as_deref().unwrap_or_default())))
        }
        Some(change) => context.fate(&change.table, change.column.as_deref()),
        None => Fate::other(String::new()),
    }
}

/// Reports what was counted in the data for a rule, where it is more than none.
pub fn report_counts(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>) {
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

/// What a finding is about, as its message says it.
#[derive(Default)]
pub struct Subject {
    pub what: String,
    pub field: Option<String>,
    pub role: Option<String>,
    /// Where on its pages.
    pub places: Vec<String>,
}

impl Subject {
    pub fn new(what: impl Into<String>) -> Subject {
        Subject { what: what.into(), ..Subject::default() }
    }

    pub fn of_field(self, field: &str) -> Subject {
        Subject { field: Some(field.to_owned()), ..self }
    }

    /// A finding about it that is due to a loss.
    fn finding(self, rule: &Rule, severity: Severity, message: String, lost: &Lost<'_>) -> Finding {
        let mut finding =
            Finding::new(rule.name, severity, message).entity(&lost.entity.name).pages(lost.pages.clone()).at(&lost.used.place);
        (finding.field, finding.role, finding.places) = (self.field, self.role, self.places);
        finding.child = lost.used.why.child().map(|(entity, by)| (entity.to_owned(), by.to_owned()));
        finding
    }
}

/// Reports the conditions of one kind that name something gone, or may.
pub fn report_conditions(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>, subject: impl Fn(&Why) -> Option<Subject>) {
    for lost in context.lost() {
        let Some(subject) = subject(&lost.used.why) else { continue };
        let (Need::Condition { table: own, text, .. } | Need::Statement { table: own, text }) = &lost.used.need else { continue };
        let what = &subject.what;
        // What is the matter in the text, and where; nothing where that can't be told.
        let mut culprit: Option<(&str, usize)> = None;
        let (severity, message, fate, because) = match &lost.what {
            What::Condition { name, table, is_table, offset } => {
                culprit = Some((name, *offset));
                let (table, column) = if *is_table { (name, None) } else { (table.as_ref().unwrap_or(own), Some(name.as_str())) };
                (rule.severity, format!("{what} fails"), Some(context.fate(table, column)), context.cause_of_loss(table, column))
            }
            What::Ambiguous { name, offset } => {
                culprit = Some((name, *offset));
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
                (rule.severity, message, None, (cause, Remedy::Hand))
            }
            What::Function { name, wrong, offset } => {
                culprit = Some((name, *offset));
                let message = format!("{what} fails: the function `{}` {wrong}", shown(name));
                (rule.severity, message, None, (context.find_object(name), Remedy::Hand))
            }
            What::WrongType { table, column, offset, operation, .. } => {
                culprit = Some((column, *offset));
                let message = format!("{what} fails: `{}.{}` has another type now ({})", shown(table), shown(column), shown(operation));
                (rule.severity, message, None, (context.cause_of_type(table, column), Remedy::Hand))
            }
            What::DoubtfulCondition { name } => {
                let message =
                    format!("{what} may fail: it mentions `{}`, which is gone, in SQL that can't be analysed with certainty", shown(name));
                let names = |c: &crate::changes::Change| c.kind.loses_a_name() && c.column.as_ref().unwrap_or(&c.table) == name;
                let cause = context.input.comparison.changes.iter().position(names);
                (Severity::Risk, message, None, (cause, Remedy::Hand))
            }
            _ => continue,
        };
        let (name, offset) = culprit.unwrap_or_default();
        let mut finding = subject.finding(rule, severity, message, lost).because(because).culprit(name);
        if culprit.is_some() {
            finding = finding.at(&Spanned { value: text.clone(), place: lost.used.place.clone(), quote: 1 }.inside(offset));
        }
        out.push(match fate {
            Some(fate) => finding.with_fate(&fate),
            None => finding,
        });
    }
}

/// Reports tables and columns that are gone, and writes that the database refuses, where a page asks for them: `subject` says
/// what that is to the rule.
pub fn report_losses(context: &Context<'_>, rule: &Rule, out: &mut Vec<Finding>, subject: impl Fn(&Lost<'_>) -> Option<Subject>) {
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
        let Some(subject) = subject(lost) else { continue };
        let fate = match &lost.what {
            What::WrittenByDatabase { .. } => Fate::other(format!("the database writes `{}` itself", shown(column.unwrap_or_default()))),
            What::Refused { .. } => Fate::other(format!("`{}` takes no such writes", shown(table))),
            What::Table { broken: Some(reason), .. } => Fate::other(format!("`{}` can't be read: {}", shown(table), shown(reason))),
            _ => context.fate(table, column),
        };
        let message = subject.what.clone();
        out.push(subject.finding(rule, rule.severity, message, lost).because(context.cause_of_loss(table, column)).with_fate(&fate));
    }
}

/// Findings of operations that the engine refuses for the type of one column: `subject` says what that is to the rule.
pub fn refused_types<'c>(
    context: &'c Context<'_>,
    rule: &'c Rule,
    severity: Severity,
    subject: impl Fn(&Lost<'_>) -> Option<Subject> + 'c,
) -> impl Iterator<Item = Finding> + 'c {
    context.lost().iter().filter_map(move |lost| {
        let What::WrongType { table, column, with: None, operation, .. } = &lost.what else { return None };
        let subject = subject(lost)?;
        let message = format!("{}: {}", subject.what, shown(operation));
        Some(subject.finding(rule, severity, message, lost).because((context.cause_of_type(table, column), Remedy::Hand)))
    })
}

/// Reports columns that a write leaves out although the database insists on them.
pub fn required_absent(
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
pub fn problems(context: &Context<'_>, kind: ProblemKind, rule: &'static str) -> Vec<Finding> {
    context
        .problems()
        .iter()
        .filter(|p| p.kind == kind)
        .map(|problem| {
            let message = format!("{}: {}", shown(&problem.path), problem.message);
            let mut finding = Finding::new(rule, Severity::Break, message).culprit(&problem.culprit);
            if let FileKey::Entity(entity) = &problem.file {
                finding.entity = Some(entity.clone());
            }
            finding.at = Some(Location::at(&problem.file, problem.at));
            finding.help = problem.nearest.as_ref().map(|n| format!("did you mean `{}`?", shown(n))).unwrap_or_default();
            finding
        })
        .collect()
}
