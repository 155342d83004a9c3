//! How each engine writes what pages ask: quoting, joining texts, what an empty record looks like.

use crate::schema::Engine;
use crate::sql;

/// An expression as text, to be searched.
pub fn as_text(expression: &str, engine: Engine) -> String {
    format!("CAST({expression} AS {})", if engine.is_mysql_like() { "CHAR" } else { "TEXT" })
}

/// Bytes as a text of hexadecimal digits.
pub(super) fn as_hex(expression: &str, engine: Engine) -> String {
    match engine {
        Engine::Postgresql => format!("encode({expression}, 'hex')"),
        _ => format!("hex({expression})"),
    }
}

/// A text of hexadecimal digits as the bytes.
pub(super) fn from_hex(expression: &str, engine: Engine) -> String {
    match engine {
        Engine::Postgresql => format!("decode({expression}, 'hex')"),
        _ => format!("unhex({expression})"),
    }
}

/// Whether a text is like a pattern, whatever the case of its letters; `!` before a sign of the pattern takes it as it stands.
pub(super) fn like(text: &str, pattern: &str, engine: Engine) -> String {
    format!("{text} {} {pattern} ESCAPE '!'", if engine == Engine::Postgresql { "ILIKE" } else { "LIKE" })
}

/// The pattern of every text that has this one in it, for the parameter `:search`: `%` and `_` in it mean themselves.
pub fn containing(text: &str) -> String {
    let escaped = text.replace('!', "!!").replace('%', "!%").replace('_', "!_");
    format!("%{escaped}%")
}

/// Texts one after the other.
pub(super) fn joined(parts: &[String], engine: Engine) -> String {
    match parts {
        [] => "''".to_owned(),
        [one] => one.clone(),
        several if engine.is_mysql_like() => format!("concat({})", several.join(", ")),
        several => several.join(" || "),
    }
}

/// A string in SQL.
pub fn literal(text: &str, engine: Engine) -> String {
    let text = text.replace('\'', "''");
    format!("'{}'", if engine.is_mysql_like() { text.replace('\\', "\\\\") } else { text })
}

/// What an INSERT of a record without any value says after the table.
pub(super) fn no_values(engine: Engine) -> &'static str {
    if engine.is_mysql_like() { "() VALUES ()" } else { "DEFAULT VALUES" }
}

/// Whether two values are the same, an empty one like another.
pub(super) fn same_or_empty(left: &str, right: &str, engine: Engine) -> String {
    let operator = match engine {
        Engine::Sqlite => "IS",
        Engine::Postgresql => "IS NOT DISTINCT FROM",
        Engine::Mariadb | Engine::Mysql => "<=>",
    };
    format!("{left} {operator} {right}")
}

/// A call of a routine with named arguments: by name where the engine knows that, else in the order given.
pub(super) fn call(routine: &str, is_function: bool, arguments: &[(String, String)], engine: Engine) -> String {
    let given: Vec<String> = arguments
        .iter()
        .map(|(name, value)| match engine {
            Engine::Postgresql => format!("{} => {value}", crate::name::quoted_for(name, engine)),
            _ => value.clone(),
        })
        .collect();
    let verb = if is_function { "SELECT" } else { "CALL" };
    format!("{verb} {}({})", crate::name::quoted_for(routine, engine), given.join(", "))
}

/// A statement with the engine's own parameters for the named ones, and their names in order. SQLite has named ones.
///
/// The second value gives the named parameter of each of the engine's, the third the byte each stood at.
pub fn positional(statement: &str, engine: Engine) -> (String, Vec<String>, Vec<usize>) {
    let found = sql::parameters(statement, engine);
    let offsets = found.iter().map(|(at, _)| *at).collect();
    if engine == Engine::Sqlite {
        let mut names: Vec<String> = Vec::new();
        for (_, name) in found {
            if !names.contains(&name) {
                names.push(name);
            }
        }
        return (statement.to_owned(), names, offsets);
    }
    let (mut out, mut names, mut last): (String, Vec<String>, usize) = (String::new(), Vec::new(), 0);
    for (at, name) in found {
        out.push_str(&statement[last..at]);
        last = at + 1 + name.len();
        if engine.is_mysql_like() {
            out.push('?');
            names.push(name);
            continue;
        }
        let number = names.iter().position(|known| *known == name).unwrap_or_else(|| {
            names.push(name);
            names.len() - 1
        });
        out.push_str(&format!("${}", number + 1));
    }
    out.push_str(&statement[last..]);
    (out, names, offsets)
}

/// A statement with values in the places of its parameters; those without a value are empty.
pub fn with_values(statement: &str, engine: Engine, values: &std::collections::BTreeMap<String, String>) -> String {
    let mut out = statement.to_owned();
    for (at, name) in sql::parameters(statement, engine).into_iter().rev() {
        let value = match (values.get(&name), name.as_str()) {
            (Some(value), _) => literal(value, engine),
            (None, "today") => "CURRENT_DATE".to_owned(),
            (None, "now") => "CURRENT_TIMESTAMP".to_owned(),
            (None, _) => "NULL".to_owned(),
        };
        out.replace_range(at..at + 1 + name.len(), &value);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn named_parameters_become_the_engines_own() {
        let text = "a = :x AND b::text = ':y' AND c = :z OR d = :x";
        let pg = positional(text, Engine::Postgresql);
        assert_eq!((pg.0.as_str(), pg.1), ("a = $1 AND b::text = ':y' AND c = $2 OR d = $1", vec!["x".to_owned(), "z".to_owned()]));
        let maria = positional("a = :x OR `:b` = :x", Engine::Mariadb);
        assert_eq!((maria.0.as_str(), maria.1.len()), ("a = ? OR `:b` = ?", 2));
    }
}
