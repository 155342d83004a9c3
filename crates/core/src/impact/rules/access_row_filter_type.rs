//! A row filter compares values of another kind than it was written for.

use crate::changes::ChangeKind;
use crate::impact::{Context, Docs, ElementKind, Finding, Remedy, Rule, Severity};
use crate::name::{same, shown};
use crate::schema::TypeRelation;
use crate::sql;

/// See [`DOCS`].
pub static RULE: Rule = Rule {
    name: "access/row-filter-type",
    severity: Severity::Risk,
    changes: &[ChangeKind::TypeChanged],
    elements: &[ElementKind::Access],
    docs: DOCS,
    check,
};

const DOCS: Docs = Docs {
    detects: "The `rows` of a role names a column whose type changed in kind.",
    matters: "The comparison may be true for other records than before: a role sees too much or too little, and nothing fails.",
    before: "rows = \"keeper_id = :user_keeper\"",
    after: "keeper_id became text",
    to_do: "Look at the filter, with the values the column holds now.",
};

fn check(context: &Context<'_>, out: &mut Vec<Finding>) {
    let turned: Vec<_> = context.changes(RULE.changes).filter(|(_, c)| c.relation.is_some_and(|r| r >= TypeRelation::Lossy)).collect();
    let names: Vec<&str> = turned.iter().filter_map(|(_, c)| c.column.as_deref()).collect();
    if names.is_empty() {
        return;
    }
    let engine = context.input.accepted.engine;
    for entity in context.entities() {
        for access in &entity.access {
            let Some(rows) = access.rows.as_ref().filter(|rows| sql::mentions_word(&rows.value, &names, engine)) else { continue };
            let select = entity.source.select.as_ref().map(|s| s.value.as_str());
            let scope = sql::Scope::Columns { table: &entity.table.value, select };
            let analysis = sql::analyse(&rows.value, scope, context.input.accepted);
            for (at, change) in &turned {
                let column = change.column.as_deref().unwrap_or_default();
                let named = analysis.names.iter().find(
                    |n| matches!(&n.target, sql::Target::Column { table, column: c } if same(table, &change.table) && same(c, column)),
                );
                let Some(named) = named else { continue };
                let message = format!(
                    "the row filter of role `{}` compares `{}.{}`, which is {} now and was {}",
                    shown(&access.role),
                    shown(&change.table),
                    shown(column),
                    shown(change.after.as_deref().unwrap_or_default()),
                    shown(change.before.as_deref().unwrap_or_default())
                );
                let pages = entity.pages.iter().filter(|p| access.allows(p)).map(|p| p.name.clone()).collect();
                let finding = Finding::new(RULE.name, RULE.severity, message).entity(&entity.name).role(&access.role).pages(pages);
                out.push(finding.at(&rows.inside(named.at.start)).because((Some(*at), Remedy::Hand)));
            }
        }
    }
}

#[cfg(test)]
pub(super) const CASES: &str = r#"
# SQLite compares anything with anything.
on sqlite
after keeper.age: date
finds risk keeper/access.guest.rows: the row filter of role `guest` compares `keeper.age`, which is date now and was integer

after keeper.phone: date
finds nothing
"#;
