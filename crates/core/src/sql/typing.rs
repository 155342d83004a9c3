//! Comparisons and calculations that an engine refuses for the kinds of their columns.
//!
//! PostgreSQL alone refuses to prepare them; the others compare what they make of the values. Only what is certain is
//! told: a function's result, a parameter and NULL are taken for anything. The rules are those of PostgreSQL's manual
//! for operator type resolution, for the kinds this program knows.

use super::fragment::{Analysis, Scope};
use super::parser;
use super::places::Places;
use super::target::Target;
use crate::name;
use crate::schema::{ColumnType, Kind, Schema};
use sqlparser::ast::{BinaryOperator, Expr, Ident, InTarget, UnaryOperator, Value, Visit, Visitor};
use std::ops::ControlFlow;

/// What is refused, and where.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mistyped {
    /// The column.
    pub table: String,
    /// Its name.
    pub column: String,
    /// Its byte in the text.
    pub offset: usize,
    /// What is refused, in words.
    pub operation: String,
}

/// The first comparison or calculation that a schema's engine refuses for the kinds of its columns.
pub fn mistyped(text: &str, scope: Scope<'_>, schema: &Schema, analysis: &Analysis) -> Option<Mistyped> {
    if !schema.engine.tells_types() || analysis.names.is_empty() {
        return None;
    }
    let mut typing = Typing { places: Places::of(text), schema, analysis, found: None };
    match scope {
        Scope::Columns { .. } => {
            let expression = parser::expression(text, schema.engine).ok()?;
            let _ = expression.visit(&mut typing);
        }
        Scope::Statement { .. } => {
            let statements = parser::statements(text, schema.engine).ok()?;
            let _ = statements.visit(&mut typing);
        }
    }
    typing.found
}

/// Whether a whole condition is a column of another kind than yes or no.
pub fn no_condition(text: &str, schema: &Schema, analysis: &Analysis) -> Option<Mistyped> {
    let expression = parser::expression(text, schema.engine).ok()?;
    let typing = Typing { places: Places::of(text), schema, analysis, found: None };
    match typing.side(&expression) {
        Side::Column(t, at) if schema.engine.tells_types() && !matches!(t.kind, Kind::Boolean | Kind::Other) => {
            typing.told(at, format!("{} is no condition", t.shown()))
        }
        _ => None,
    }
}

struct Typing<'a> {
    places: Places<'a>,
    schema: &'a Schema,
    analysis: &'a Analysis,
    found: Option<Mistyped>,
}

/// One side of an operator.
enum Side<'a> {
    Column(&'a ColumnType, usize),
    Number(String),
    Text(String),
    Moment,
    Boolean,
    Unknown,
}

impl<'a> Typing<'a> {
    fn side(&self, expression: &Expr) -> Side<'a> {
        match expression {
            Expr::Nested(inner) => self.side(inner),
            Expr::Identifier(ident) => self.column(ident),
            Expr::CompoundIdentifier(parts) => parts.last().map_or(Side::Unknown, |ident| self.column(ident)),
            Expr::UnaryOp { op: UnaryOperator::Minus | UnaryOperator::Plus, expr } => self.side(expr),
            Expr::Value(value) => match &value.value {
                Value::Number(number, _) => Side::Number(number.to_string()),
                Value::SingleQuotedString(text) => Side::Text(text.clone()),
                Value::Boolean(_) => Side::Boolean,
                _ => Side::Unknown,
            },
            Expr::Function(function) if matches!(function.args, sqlparser::ast::FunctionArguments::None) => {
                match function.name.to_string().to_ascii_lowercase().as_str() {
                    "current_date" | "current_timestamp" | "localtimestamp" => Side::Moment,
                    _ => Side::Unknown,
                }
            }
            _ => Side::Unknown,
        }
    }

    fn column(&self, ident: &Ident) -> Side<'a> {
        let Some(at) = self.places.of_name(ident) else { return Side::Unknown };
        let target = self.analysis.names.iter().find(|n| n.at.start == at.start).map(|n| &n.target);
        match target {
            Some(Target::Column { table, column }) => {
                self.schema.column(table, column).map_or(Side::Unknown, |c| Side::Column(&c.column_type, at.start))
            }
            _ => Side::Unknown,
        }
    }

    fn told(&self, at: usize, operation: String) -> Option<Mistyped> {
        let named = self.analysis.names.iter().find(|n| n.at.start == at)?;
        let Target::Column { table, column } = &named.target else { return None };
        Some(Mistyped { table: table.clone(), column: column.clone(), offset: at, operation })
    }

    fn compare(&mut self, left: &Expr, right: &Expr) {
        let refused = match (self.side(left), self.side(right)) {
            (Side::Column(a, at), Side::Column(b, _)) if !a.compares_with(b) => Some((at, format!("{} with {}", a.shown(), b.shown()))),
            (Side::Column(t, at), other) | (other, Side::Column(t, at)) => {
                self.refuses(t, &other).map(|with| (at, format!("{} with {with}", t.shown())))
            }
            _ => None,
        };
        if let Some((at, operation)) = refused {
            self.found = self.told(at, operation);
        }
    }

    /// Why a type can't be compared with a value written in the text.
    fn refuses(&self, column: &ColumnType, with: &Side<'_>) -> Option<String> {
        let number = matches!(column.kind, Kind::Integer | Kind::Decimal | Kind::Float);
        let moment = matches!(column.kind, Kind::Date | Kind::DateTime);
        if matches!(column.kind, Kind::Other | Kind::Any) {
            return None;
        }
        match with {
            Side::Number(text) => (!number).then(|| format!("the number {text}")),
            Side::Moment => (!moment).then(|| "a moment".to_owned()),
            Side::Boolean => (column.kind != Kind::Boolean).then(|| "yes or no".to_owned()),
            Side::Text(text) => {
                let reads = match column.kind {
                    Kind::Integer => text.trim().parse::<i64>().is_ok(),
                    Kind::Decimal | Kind::Float => text.trim().parse::<f64>().is_ok(),
                    Kind::Date | Kind::DateTime => {
                        let words = ["now", "today", "tomorrow", "yesterday", "infinity", "-infinity", "epoch"];
                        words.contains(&text.trim()) || text.trim().get(..4).is_some_and(|y| y.bytes().all(|b| b.is_ascii_digit()))
                    }
                    Kind::Boolean => ["t", "f", "true", "false", "yes", "no", "on", "off", "y", "n", "1", "0"]
                        .contains(&text.trim().to_ascii_lowercase().as_str()),
                    Kind::Uuid => text.bytes().filter(u8::is_ascii_hexdigit).count() == 32,
                    Kind::Json => serde_json::from_str::<serde_json::Value>(text).is_ok(),
                    Kind::Enum => {
                        let named = name::read_table(&column.original);
                        let known = self.schema.objects.enums.iter().find(|e| name::same(&e.name, &named));
                        known.is_none_or(|e| e.values.contains(text))
                    }
                    _ => true,
                };
                (!reads).then(|| format!("'{text}'"))
            }
            Side::Column(..) | Side::Unknown => None,
        }
    }

    /// A column where numbers are calculated with.
    fn calculate(&mut self, op: &BinaryOperator, left: &Expr, right: &Expr) {
        for (side, other) in [(left, right), (right, left)] {
            let Side::Column(t, at) = self.side(side) else { continue };
            let with = self.side(other);
            let number = matches!(t.kind, Kind::Integer | Kind::Decimal | Kind::Float | Kind::Any | Kind::Other);
            let moment = matches!(t.kind, Kind::Date | Kind::DateTime | Kind::Interval | Kind::Time);
            let refused = match with {
                Side::Number(_) if t.kind == Kind::Date && matches!(op, BinaryOperator::Plus | BinaryOperator::Minus) => false,
                Side::Number(_) => !number && t.kind != Kind::Interval,
                Side::Moment => !moment && t.kind != Kind::Integer,
                Side::Column(other, _) => {
                    let exact = |t: &ColumnType| matches!(t.kind, Kind::Text | Kind::Boolean | Kind::Uuid | Kind::Json | Kind::Enum);
                    exact(t) || exact(other)
                }
                _ => false,
            };
            if refused {
                self.found = self.told(at, format!("{} {op} …", t.shown()));
                return;
            }
        }
    }
}

impl Visitor for Typing<'_> {
    type Break = ();

    fn pre_visit_expr(&mut self, expression: &Expr) -> ControlFlow<()> {
        use BinaryOperator::{Divide, Eq, Gt, GtEq, Lt, LtEq, Minus, Modulo, Multiply, NotEq, Plus};
        match expression {
            Expr::BinaryOp { left, op: Eq | NotEq | Lt | LtEq | Gt | GtEq, right } => self.compare(left, right),
            Expr::BinaryOp { left, op: op @ (Plus | Minus | Multiply | Divide | Modulo), right } => self.calculate(op, left, right),
            Expr::Between { expr, low, high, .. } => {
                self.compare(expr, low);
                if self.found.is_none() {
                    self.compare(expr, high);
                }
            }
            Expr::In { expr, target: InTarget::List(list), .. } => {
                for item in list {
                    if self.found.is_none() {
                        self.compare(expr, item);
                    }
                }
            }
            Expr::Like { expr, .. } | Expr::ILike { expr, .. } => {
                if let Side::Column(t, at) = self.side(expr)
                    && !matches!(t.kind, Kind::Text | Kind::Other | Kind::Any | Kind::Binary)
                {
                    self.found = self.told(at, format!("{} LIKE …", t.shown()));
                }
            }
            _ => {}
        }
        if self.found.is_some() { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::{Column, Engine, EnumType, Table};
    use crate::sql::analyse;

    fn schema(engine: Engine) -> Schema {
        let column = |name: &str, declared: &str| Column {
            name: name.to_owned(),
            column_type: ColumnType::from_declaration(declared, true),
            ..Column::default()
        };
        let mood = ColumnType::of(Kind::Enum, "mood");
        let columns = vec![
            column("age", "integer"),
            column("fee", "numeric(8,2)"),
            column("name", "text"),
            column("born", "date"),
            column("seen", "timestamp"),
            column("active", "boolean"),
            column("extra", "jsonb"),
            column("code", "uuid"),
            Column { name: "mood".to_owned(), column_type: mood, ..Column::default() },
        ];
        let mut schema = Schema::new(engine, vec![Table { name: "keeper".to_owned(), columns, ..Table::default() }]);
        schema.objects.enums.push(EnumType { name: "mood".to_owned(), values: vec!["calm".to_owned()] });
        schema
    }

    fn refused(text: &str, engine: Engine) -> Option<String> {
        let schema = schema(engine);
        let scope = Scope::Columns { table: "keeper", select: None };
        let analysis = analyse(text, scope, &schema);
        assert!(analysis.error.is_none() && analysis.missing().next().is_none(), "{text}: {analysis:?}");
        let found = mistyped(text, scope, &schema, &analysis).or_else(|| no_condition(text, &schema, &analysis));
        found.map(|m| format!("{} at {}", m.operation, m.offset))
    }

    #[test]
    fn what_postgresql_refuses_is_told_and_nothing_else() {
        for (text, expected) in [
            ("age > 17", None),
            ("age > '17'", None),
            ("age > 'old'", Some("integer with 'old' at 0")),
            ("fee = age", None),
            ("name = age", Some("text with integer at 0")),
            ("active", None),
            ("age", Some("integer is no condition at 0")),
            ("active = 1", Some("boolean with the number 1 at 0")),
            ("active = 'yes'", None),
            ("born > current_date", None),
            ("name > current_date", Some("text with a moment at 0")),
            ("born = seen", None),
            ("born > '2026-01-01'", None),
            ("born > 'soon'", Some("date with 'soon' at 0")),
            ("name LIKE 'a%'", None),
            ("age LIKE '1%'", Some("integer LIKE … at 0")),
            ("age IN (1, 2)", None),
            ("name IN ('a', 2)", Some("text with the number 2 at 0")),
            ("age BETWEEN 1 AND 'x'", Some("integer with 'x' at 0")),
            ("born - 7 < current_date", None),
            ("name + 1 > 2", Some("text + … at 0")),
            ("1 = 1 AND (name = 'x' OR keeper.age = name)", Some("integer with text at 32")),
            ("mood = 'calm'", None),
            ("mood = 'wild'", Some("mood with 'wild' at 0")),
            ("code = 'x'", Some("uuid with 'x' at 0")),
            ("extra = '{}'", None),
            // Nothing is certain of parameters, functions and casts.
            ("age = :age AND lower(name) = name AND CAST(age AS text) = name", None),
        ] {
            assert_eq!(refused(text, Engine::Postgresql).as_deref(), expected, "{text}");
            assert_eq!(refused(text, Engine::Sqlite), None, "{text}");
        }
    }
}
