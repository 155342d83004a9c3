//! What SQLite's pragmas leave out, read from the stored CREATE statements: CHECK, generated expressions,
//! deferred keys, what a trigger answers. The text kept is always a slice of the source.

use super::tokens::{inside, items, tokens};
use ysomorph_core::name;
use ysomorph_core::schema::{Check, Operation};

/// The CHECK constraints of a CREATE TABLE.
pub fn checks(sql: &str) -> Vec<Check> {
    let tokens = tokens(sql);
    let mut found = Vec::new();
    for (at, token) in tokens.iter().enumerate() {
        if token.depth == 1
            && token.is("check")
            && let Some(expression) = inside(sql, &tokens, at + 1)
        {
            let named = at >= 2 && tokens[at - 2].is("constraint");
            found.push(Check { name: named.then(|| tokens[at - 1].name()), expression: expression.to_owned(), not_valid: false });
        }
    }
    found
}

/// The expression of a generated column.
pub fn generated_expression(sql: &str, column: &str) -> Option<String> {
    let tokens = tokens(sql);
    let mut definition_start = true;
    let mut in_column = false;
    for (at, token) in tokens.iter().enumerate() {
        if token.depth == 0 && token.text == "(" || token.depth == 1 && token.text == "," {
            definition_start = true;
            continue;
        }
        if token.depth != 1 {
            continue;
        }
        if definition_start {
            in_column = name::same(&token.name(), column);
            definition_start = false;
        } else if in_column && token.is("as") {
            return inside(sql, &tokens, at + 1).map(str::to_owned);
        }
    }
    None
}

/// Whether a statement makes a virtual table.
pub fn is_virtual(sql: &str) -> bool {
    let mut words = sql.split_whitespace().map(str::to_ascii_lowercase);
    words.next().as_deref() == Some("create") && words.next().as_deref() == Some("virtual")
}

/// What stands after the columns: whether the table is STRICT, and WITHOUT ROWID.
pub fn ending(sql: &str) -> (bool, bool) {
    if sql.trim_end().ends_with(')') && !sql.contains("--") {
        return (false, false);
    }
    let tokens = tokens(sql);
    let end = tokens.iter().rposition(|t| t.depth == 0 && t.text == ")").map_or(tokens.len(), |at| at + 1);
    let has = |word: &str| tokens[end..].iter().any(|t| t.is(word));
    (has("strict"), has("without"))
}

/// The collation of a column that declares one.
pub fn collation(sql: &str, column: &str) -> Option<String> {
    let tokens = tokens(sql);
    let item = items(&tokens).into_iter().find(|item| item.first().is_some_and(|t| name::same(&t.name(), column)))?;
    let at = item.iter().position(|t| t.depth == 1 && t.is("collate"))?;
    item.get(at + 1).map(|t| t.name().to_uppercase())
}

/// What a table's statement says beyond the model: AUTOINCREMENT, and what is done on a conflict.
pub fn options(sql: &str) -> Vec<String> {
    if !contains_word(sql, "autoincrement") && !contains_word(sql, "conflict") {
        return Vec::new();
    }
    let tokens = tokens(sql);
    let mut found = Vec::new();
    for item in items(&tokens) {
        for (at, token) in item.iter().enumerate().filter(|(_, t)| t.depth == 1) {
            if token.is("autoincrement") {
                found.push("AUTOINCREMENT".to_owned());
            } else if token.is("conflict")
                && let (Some(first), Some(action)) = (item.first(), item.get(at + 1))
            {
                found.push(format!("{}: on conflict {}", first.name(), action.text.to_lowercase()));
            }
        }
    }
    found
}

/// Whether a word stands anywhere in a text, whatever its case.
pub fn contains_word(sql: &str, word: &str) -> bool {
    let (text, word) = (sql.as_bytes(), word.as_bytes());
    let Some(first) = word.first() else { return true };
    let starts = text.iter().enumerate().filter(|(_, c)| c.eq_ignore_ascii_case(first));
    starts.filter_map(|(at, _)| text.get(at..at + word.len())).any(|w| w.eq_ignore_ascii_case(word))
}

/// The parts of a CREATE INDEX as they are written, and its condition.
pub fn index_parts(sql: &str) -> (Vec<String>, Option<String>) {
    let tokens = tokens(sql);
    let Some(open) = tokens.iter().position(|t| t.depth == 0 && t.text == "(") else { return Default::default() };
    let Some(close) = tokens[open + 1..].iter().position(|t| t.depth == 0 && t.text == ")").map(|at| open + 1 + at) else {
        return Default::default();
    };
    let mut parts = Vec::new();
    for item in tokens[open + 1..close].split(|t| t.depth == 1 && t.text == ",") {
        // Order and collation are told by pragmas.
        let end = item.iter().position(|t| t.depth == 1 && (t.is("collate") || t.is("asc") || t.is("desc"))).unwrap_or(item.len());
        if let (Some(first), Some(last)) = (item.first(), end.checked_sub(1).and_then(|at| item.get(at))) {
            parts.push(sql[first.start..last.end()].to_owned());
        }
    }
    let condition = tokens[close + 1..].iter().find(|t| t.depth == 0 && t.is("where")).map(|t| sql[t.end()..].trim().to_owned());
    (parts, condition)
}

/// For each REFERENCES clause in order: whether it may be checked at the end of the transaction, and whether it is.
pub fn deferred_references(sql: &str) -> Vec<(bool, bool)> {
    let tokens = tokens(sql);
    let mut found: Vec<(bool, bool)> = Vec::new();
    for (at, token) in tokens.iter().enumerate().filter(|(_, t)| t.depth == 1) {
        if token.is("references") {
            found.push((false, false));
        } else if let Some(last) = found.last_mut() {
            let follows = |word: &str| tokens.get(at + 1).is_some_and(|t| t.is(word));
            last.0 |= token.is("deferrable") && !at.checked_sub(1).is_some_and(|b| tokens[b].is("not"));
            last.1 |= token.is("initially") && follows("deferred");
        }
    }
    found
}

/// A view's SELECT: what follows AS.
pub fn view_select(sql: &str) -> &str {
    let tokens = tokens(sql);
    tokens.iter().find(|t| t.depth == 0 && t.is("as")).map_or(sql, |t| sql[t.end()..].trim())
}

/// The write a trigger answers, and whether it stands in for it.
pub fn trigger_event(sql: &str) -> Option<(Operation, bool)> {
    let tokens = tokens(sql);
    let mut instead_of = false;
    for (at, token) in tokens.iter().enumerate() {
        instead_of |= token.is("instead") && tokens.get(at + 1).is_some_and(|t| t.is("of"));
        let operation = match token.text.to_ascii_lowercase().as_str() {
            "insert" => Operation::Insert,
            "update" => Operation::Update,
            "delete" => Operation::Delete,
            "begin" => return None,
            _ => continue,
        };
        return Some((operation, instead_of));
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_stored_statement_tells_what_pragmas_do_not() {
        let sql = "CREATE TABLE t ( -- a, b\n a INT CHECK (a IN (1, 2)), \"b c\" TEXT GENERATED ALWAYS AS (upper('x)' || a)) STORED,\n d INT REFERENCES u (id) DEFERRABLE INITIALLY DEFERRED, e INT REFERENCES u,\n CONSTRAINT \"two\" CHECK (a > d))";
        let checks = checks(sql);
        assert_eq!(
            checks.iter().map(|c| (c.name.as_deref(), c.expression.as_str())).collect::<Vec<_>>(),
            [(None, "a IN (1, 2)"), (Some("two"), "a > d")]
        );
        assert_eq!(generated_expression(sql, "b c").as_deref(), Some("upper('x)' || a)"));
        assert_eq!(deferred_references(sql), [(true, true), (false, false)]);
        let more = "CREATE TABLE t (a TEXT COLLATE nocase UNIQUE ON CONFLICT REPLACE, id INTEGER PRIMARY KEY AUTOINCREMENT)";
        assert_eq!((collation(more, "a").as_deref(), collation(more, "id")), (Some("NOCASE"), None));
        assert_eq!(ending("CREATE TABLE t (a TEXT /* ) */) STRICT, WITHOUT ROWID -- )"), (true, true));
        assert_eq!((ending(more), is_virtual(more), is_virtual("create virtual table x using fts5(a)")), ((false, false), false, true));
        assert_eq!(options(more), ["a: on conflict replace", "AUTOINCREMENT"]);
        assert_eq!(
            index_parts("CREATE INDEX i ON t (lower(a) DESC, b COLLATE nocase) WHERE a > 1"),
            (vec!["lower(a)".to_owned(), "b".to_owned()], Some("a > 1".to_owned()))
        );
        assert_eq!(view_select("CREATE VIEW \"as\" AS\n SELECT 1 AS x"), "SELECT 1 AS x");
        assert_eq!(trigger_event("CREATE TRIGGER x INSTEAD OF UPDATE OF a ON v BEGIN DELETE FROM t; END"), Some((Operation::Update, true)));
    }
}
