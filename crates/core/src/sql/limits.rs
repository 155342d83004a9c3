//! What CHECK constraints say of single columns: lists of values, least and greatest, longest.

use super::dialect::identifier;
use super::parser;
use crate::schema::Engine;
use sqlparser::ast::{BinaryOperator, Expr, Function, FunctionArg, FunctionArgExpr, FunctionArguments, InTarget, UnaryOperator, Value};

/// What a constraint says of a column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Says {
    /// It is one of these values, as text.
    OneOf(Vec<String>),
    /// It is at least this number.
    AtLeast(String),
    /// It is at most this number.
    AtMost(String),
    /// It has at most so many characters.
    AtMostLong(i64),
}

/// Everything a CHECK expression says of single columns; what it says beyond that is passed over.
pub fn limits(expression: &str, engine: Engine) -> Vec<(String, Says)> {
    let parsed = parser::expression(expression, engine);
    let mut found = Vec::new();
    if let Ok(parsed) = parsed {
        gather(&parsed, engine, &mut found);
    }
    found
}

fn gather(expression: &Expr, engine: Engine, found: &mut Vec<(String, Says)>) {
    match expression {
        Expr::Nested(inner) => gather(inner, engine, found),
        Expr::BinaryOp { left, op: BinaryOperator::And, right } => {
            gather(left, engine, found);
            gather(right, engine, found);
        }
        // "empty, or …": an empty value passes every check anyway.
        Expr::BinaryOp { left, op: BinaryOperator::Or, right } => match (plain(left), plain(right)) {
            (Expr::IsNull(_), other) | (other, Expr::IsNull(_)) => gather(other, engine, found),
            (left, right) => either(left, right, engine, found),
        },
        Expr::In { expr, target: InTarget::List(list), negated: false, .. } => {
            let values: Option<Vec<String>> = list.iter().map(literal).collect();
            if let (Some(column), Some(values)) = (column(expr, engine), values) {
                found.push((column, Says::OneOf(values)));
            }
        }
        Expr::AnyOp { left, compare_op: BinaryOperator::Eq, right, .. } => {
            if let (Some(column), Some(values)) = (column(left, engine), array(right)) {
                found.push((column, Says::OneOf(values)));
            }
        }
        Expr::Between { expr, negated: false, low, high } => {
            if let (Some(column), Some(low), Some(high)) = (column(expr, engine), number(low), number(high)) {
                found.push((column.clone(), Says::AtLeast(low)));
                found.push((column, Says::AtMost(high)));
            }
        }
        Expr::BinaryOp { left, op, right } => compared(left, op, right, engine, found),
        _ => {}
    }
}

/// `a = 1 OR a = 2` is a list of values.
fn either(left: &Expr, right: &Expr, engine: Engine, found: &mut Vec<(String, Says)>) {
    let mut sides = Vec::new();
    for side in [left, right] {
        match side {
            Expr::BinaryOp { left, op: BinaryOperator::Eq, right } => match (column(left, engine), literal(right)) {
                (Some(column), Some(value)) => sides.push((column, Says::OneOf(vec![value]))),
                _ => return,
            },
            other => gather(other, engine, &mut sides),
        }
    }
    if let [(one, Says::OneOf(a)), (other, Says::OneOf(b))] = sides.as_slice()
        && crate::name::same(one, other)
    {
        found.push((one.clone(), Says::OneOf([a.as_slice(), b.as_slice()].concat())));
    }
}

fn compared(left: &Expr, op: &BinaryOperator, right: &Expr, engine: Engine, found: &mut Vec<(String, Says)>) {
    let (subject, op, bound) = match (number(right), number(left)) {
        (Some(bound), _) => (left, op.clone(), bound),
        (None, Some(bound)) => {
            let turned = match op {
                BinaryOperator::Lt => BinaryOperator::Gt,
                BinaryOperator::LtEq => BinaryOperator::GtEq,
                BinaryOperator::Gt => BinaryOperator::Lt,
                BinaryOperator::GtEq => BinaryOperator::LtEq,
                other => other.clone(),
            };
            (right, turned, bound)
        }
        (None, None) => return,
    };
    if let Some(column) = length_of(subject, engine) {
        let most = bound.parse::<i64>().ok().and_then(|most| match op {
            BinaryOperator::LtEq => Some(most),
            BinaryOperator::Lt => Some(most - 1),
            _ => None,
        });
        found.extend(most.map(|most| (column, Says::AtMostLong(most))));
        return;
    }
    let Some(column) = column(subject, engine) else { return };
    match op {
        BinaryOperator::GtEq => found.push((column, Says::AtLeast(bound))),
        BinaryOperator::LtEq => found.push((column, Says::AtMost(bound))),
        _ => {}
    }
}

/// Without parentheses and casts.
fn plain(expression: &Expr) -> &Expr {
    match expression {
        Expr::Nested(inner) => plain(inner),
        Expr::Cast { expr, .. } => plain(expr),
        other => other,
    }
}

fn column(expression: &Expr, engine: Engine) -> Option<String> {
    match plain(expression) {
        Expr::Identifier(ident) => Some(identifier(ident, engine)),
        Expr::CompoundIdentifier(parts) => parts.last().map(|ident| identifier(ident, engine)),
        _ => None,
    }
}

fn length_of(expression: &Expr, engine: Engine) -> Option<String> {
    let Expr::Function(Function { name, args: FunctionArguments::List(list), .. }) = plain(expression) else { return None };
    let is_length = ["length", "char_length", "character_length"].contains(&name.to_string().to_lowercase().as_str());
    match list.args.as_slice() {
        [FunctionArg::Unnamed(FunctionArgExpr::Expr(inner))] if is_length => column(inner, engine),
        _ => None,
    }
}

fn literal(expression: &Expr) -> Option<String> {
    match plain(expression) {
        Expr::Value(value) => match &value.value {
            Value::SingleQuotedString(text) | Value::DoubleQuotedString(text) => Some(text.clone()),
            Value::Number(number, _) => Some(number.clone()),
            _ => None,
        },
        other => number(other),
    }
}

fn number(expression: &Expr) -> Option<String> {
    match plain(expression) {
        Expr::Value(value) => match &value.value {
            Value::Number(number, _) => Some(number.clone()),
            // PostgreSQL writes a number of another type as a cast text.
            Value::SingleQuotedString(text) if text.parse::<f64>().is_ok() => Some(text.clone()),
            _ => None,
        },
        Expr::UnaryOp { op: UnaryOperator::Minus, expr } => number(expr).map(|n| format!("-{n}")),
        _ => None,
    }
}

fn array(expression: &Expr) -> Option<Vec<String>> {
    match plain(expression) {
        Expr::Array(array) => array.elem.iter().map(literal).collect(),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_engines_way_of_keeping_a_check_is_read() {
        let kinds = || Says::OneOf(vec!["log".into(), "skep".into()]);
        let at_least = |n: &str| Says::AtLeast(n.into());
        let at_most = |n: &str| Says::AtMost(n.into());
        for (engine, text, says) in [
            (Engine::Sqlite, "hive_type IN ('log', 'skep')", vec![("hive_type", kinds())]),
            (Engine::Sqlite, "k IS NULL OR k = 'log' OR k = 'skep'", vec![]),
            (Engine::Sqlite, "k = 'log' OR k = 'skep'", vec![("k", kinds())]),
            (Engine::Sqlite, "\"temper\" BETWEEN 1 AND 5", vec![("temper", at_least("1")), ("temper", at_most("5"))]),
            (Engine::Sqlite, "length(code) < 9 AND 0 <= n AND n > 3", vec![("code", Says::AtMostLong(8)), ("n", at_least("0"))]),
            (
                Engine::Postgresql,
                "((k)::text = ANY ((ARRAY['log'::character varying, 'skep'::character varying])::text[]))",
                vec![("k", kinds())],
            ),
            (Engine::Postgresql, "((temper >= 1) AND (temper <= 5))", vec![("temper", at_least("1")), ("temper", at_most("5"))]),
            (
                Engine::Postgresql,
                "((fee >= (0)::numeric) AND (fee <= '-1.5'::numeric))",
                vec![("fee", at_least("0")), ("fee", at_most("-1.5"))],
            ),
            (Engine::Mariadb, "`k` in ('log','skep')", vec![("k", kinds())]),
            (Engine::Mariadb, "`temper` between 1 and 5", vec![("temper", at_least("1")), ("temper", at_most("5"))]),
        ] {
            let found = limits(text, engine);
            let found: Vec<(&str, Says)> = found.iter().map(|(c, s)| (c.as_str(), s.clone())).collect();
            assert_eq!(found, says, "{text}");
        }
    }
}
