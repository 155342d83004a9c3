//! What decides which records a query returns: the tables it reads from, its condition, its grouping.

use super::parser;
use crate::schema::Engine;
use sqlparser::ast::{GroupByExpr, Query, SetExpr, Statement};

/// The parts of a query that decide which records it returns, each as SQL; empty where it has none.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Outline {
    /// FROM, with the joins.
    pub from: String,
    /// WHERE and HAVING.
    pub condition: String,
    /// GROUP BY.
    pub grouping: String,
}

/// Outlines a query, or a `CREATE VIEW … AS` one; nothing where it can't be read, or isn't a plain SELECT.
pub fn outline(text: &str, engine: Engine) -> Option<Outline> {
    let mut statements = parser::statements(text, engine).ok()?;
    let query: Box<Query> = match statements.pop()? {
        Statement::Query(query) => query,
        Statement::CreateView(view) => view.query,
        _ => return None,
    };
    let SetExpr::Select(select) = *query.body else { return None };
    let listed = |parts: Vec<String>, between: &str| parts.join(between);
    let from = listed(select.from.iter().map(ToString::to_string).collect(), ", ");
    let condition = listed(select.selection.iter().chain(&select.having).map(ToString::to_string).collect(), " AND ");
    let grouping = match &select.group_by {
        GroupByExpr::All(_) => "ALL".to_owned(),
        GroupByExpr::Expressions(parts, _) => listed(parts.iter().map(ToString::to_string).collect(), ", "),
    };
    Some(Outline { from, condition, grouping })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_decides_which_records_come_is_taken_out() {
        let read = |text: &str| outline(text, Engine::Sqlite).map(|o| [o.from, o.condition, o.grouping].join(" | "));
        for (text, expected) in [
            ("SELECT a FROM t", Some("t |  | ")),
            ("CREATE VIEW v AS SELECT a FROM t WHERE a > 1", Some("t | a > 1 | ")),
            (
                "SELECT a, count(*) FROM t JOIN u ON u.i = t.i GROUP BY a HAVING count(*) > 1",
                Some("t JOIN u ON u.i = t.i | count(*) > 1 | a"),
            ),
            ("SELECT a FROM t UNION SELECT b FROM u", None),
            ("DELETE FROM t", None),
        ] {
            assert_eq!(read(text).as_deref(), expected, "{text}");
        }
    }
}
