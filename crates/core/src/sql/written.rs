//! What a routine's body does first: which table it writes, how, and which column each of its parameters is about.

use super::parser;
use crate::name::{self, same};
use crate::schema::Engine;
use sqlparser::tokenizer::Token;

/// The first statement of a body that writes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// `insert`, `update` or `delete`.
    pub action: &'static str,
    /// The table.
    pub table: String,
    /// Parameters and the columns they are given to or compared with.
    pub columns: Vec<(String, String)>,
}

/// Reads words and `=` alone, so it holds for any procedural language; nothing where no statement writes.
pub fn written_by(body: &str, parameters: &[String], engine: Engine) -> Option<Written> {
    let tokens = parser::words(body, engine)?;
    let word = |at: usize| match tokens.get(at) {
        Some(Token::Word(word)) => Some(word.value.as_str()),
        _ => None,
    };
    let is = |at: usize, wanted: &str| word(at).is_some_and(|w| w.eq_ignore_ascii_case(wanted));
    let (at, action) = (0..tokens.len()).find_map(|at| match () {
        () if is(at, "insert") && is(at + 1, "into") => Some((at + 2, "insert")),
        // Not "FOR UPDATE", "ON UPDATE".
        () if is(at, "update") && is(at + 2, "set") || is(at, "update") && is(at + 4, "set") => Some((at + 1, "update")),
        () if is(at, "delete") && is(at + 1, "from") => Some((at + 2, "delete")),
        () => None,
    })?;
    let qualified = matches!(tokens.get(at + 1), Some(Token::Period));
    let named = if qualified { at + 2 } else { at };
    let table = word(named)?.to_owned();
    let parameter = |at: usize| word(at).filter(|w| name::contains(parameters, w) && !matches!(tokens.get(at + 1), Some(Token::Period)));
    let mut columns: Vec<(String, String)> = Vec::new();
    let mut add = |parameter: &str, column: &str| {
        if !columns.iter().any(|(known, _)| same(known, parameter)) {
            columns.push((parameter.to_owned(), column.to_owned()));
        }
    };
    if action == "insert" {
        let listed = |from: usize| -> Vec<usize> {
            (from..tokens.len()).take_while(|at| !matches!(tokens[*at], Token::RParen)).filter(|at| word(*at).is_some()).collect()
        };
        if let Some(values) =
            (named..tokens.len()).find(|at| is(*at, "values")).filter(|_| matches!(tokens.get(named + 1), Some(Token::LParen)))
        {
            for (column, value) in listed(named + 2).into_iter().zip(listed(values + 2)) {
                if let (Some(column), Some(value)) = (word(column), parameter(value)) {
                    add(value, column);
                }
            }
        }
    }
    for (at, token) in tokens.iter().enumerate().skip(named) {
        if matches!(token, Token::Eq | Token::Assignment)
            && let (Some(column), Some(value)) = (at.checked_sub(1).and_then(word), parameter(at + 1))
        {
            add(value, column);
        }
    }
    Some(Written { action, table, columns })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_body_tells_what_its_parameters_are() {
        for (body, parameters, wanted) in [
            ("UPDATE apiary SET closed_on = on_day WHERE id = which", "which on_day", "update apiary on_day=closed_on which=id"),
            ("BEGIN UPDATE public.\"apiary\" SET closed_on = p_on; END", "p_on", "update apiary p_on=closed_on"),
            ("INSERT INTO hive (tag, apiary_id) VALUES (p_tag, p_yard)", "p_tag p_yard", "insert hive p_tag=tag p_yard=apiary_id"),
            ("BEGIN DELETE FROM hive WHERE id = p; END", "p", "delete hive p=id"),
            ("SELECT * FROM hive FOR UPDATE", "p", ""),
        ] {
            let parameters: Vec<String> = parameters.split(' ').map(str::to_owned).collect();
            let found = written_by(body, &parameters, Engine::Postgresql);
            let told = found.map_or_else(String::new, |w| {
                let columns: Vec<String> = w.columns.iter().map(|(p, c)| format!(" {p}={c}")).collect();
                format!("{} {}{}", w.action, w.table, columns.concat())
            });
            assert_eq!(told, wanted, "{body}");
        }
    }
}
