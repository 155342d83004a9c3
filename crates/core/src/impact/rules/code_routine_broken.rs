//! A routine of the database names something gone.

use super::shared::{fate, program_names};
use crate::changes::{Change, ChangeKind};
use crate::impact::{Context, ElementKind, Finding, Remedy, Severity};
use crate::impact::{Docs, Rule, code};
use crate::name::{same, shown};
use crate::sql;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "code/routine-broken",
    severity: Severity::Break,
    changes: &[
        ChangeKind::ColumnDropped,
        ChangeKind::ColumnRenamed,
        ChangeKind::TableDropped,
        ChangeKind::TableRenamed,
        ChangeKind::RoutineDropped,
    ],
    elements: &[ElementKind::Code],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The body of a function or procedure has an old name: a break where it is SQL that can be analysed, a risk where it only has the words. Databases don't look into bodies when a column is renamed.",
    matters: "It is called some night, by a page or a report, and fails then.",
    before: "close_apiary() sets apiary.closed_on",
    after: "the column is called shut_on",
    to_do: "Have the routine made anew in the database.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    for routine in &context.changed().objects.routines {
        let body = routine.body.trim();
        let certain = sql_names(context, body, &routine.language);
        let found = certain.map(|at| (at, true)).or_else(|| program_names(context, body, None).map(|(at, _)| (at, false)));
        let Some((at, certain)) = found else { continue };
        let severity = if certain { RULE.severity } else { Severity::Risk };
        let sure = if certain { "names" } else { "probably names" };
        let message = format!("the {} `{}` {sure} what is gone", shown(&routine.kind), shown(&routine.name));
        out.push(Finding::new(RULE.name, severity, message).with_fate(&fate(context, at)).because((Some(at), Remedy::Hand)));
    }
}

/// The change that took away what a body in plain SQL names, where that is certain.
fn sql_names(context: &Context<'_>, body: &str, language: &str) -> Option<usize> {
    if !language.eq_ignore_ascii_case("sql") {
        return None;
    }
    let engine = context.changed().engine;
    for range in sql::statements(body, engine) {
        let text = body.get(range).unwrap_or_default();
        let analysis = sql::analyse(text, sql::Scope::Statement { table: "" }, context.changed());
        for named in analysis.missing() {
            if let sql::Target::Missing { table, name, is_table } = &named.target {
                let lost = |change: &Change| {
                    let there = table.as_ref().is_none_or(|t| same(context.table_name_before(t), &change.table));
                    code::lost_name(change).is_some_and(|lost| same(lost, name))
                        && change.column.is_none() == *is_table
                        && (*is_table || there)
                };
                if let Some(at) = context.input.comparison.changes.iter().position(lost) {
                    return Some(at);
                }
            }
        }
    }
    None
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
before routine calls sql: SELECT phone FROM keeper
after keeper.phone -> mobile
finds break: the function `calls` names what is gone: `keeper.phone` is `mobile` now

# It is read only when it runs.
before routine calls plpgsql: SELECT phone FROM keeper
after keeper.phone -> mobile
finds risk: the function `calls` probably names what is gone: `keeper.phone` is `mobile` now

before routine calls sql: SELECT phone FROM keeper
after keeper.born_on: text
finds nothing
"#;
