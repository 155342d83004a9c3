//! The SQL dialect of each engine.

use crate::schema::Engine;
use sqlparser::ast::Ident;
use sqlparser::dialect::{Dialect, MySqlDialect, PostgreSqlDialect, SQLiteDialect};

/// The parser's dialect for an engine.
pub(super) fn dialect(engine: Engine) -> &'static dyn Dialect {
    match engine {
        Engine::Sqlite => &SQLiteDialect {},
        Engine::Postgresql => &PostgreSqlDialect {},
        Engine::Mariadb | Engine::Mysql => &MySqlDialect {},
    }
}

/// The name an identifier stands for: PostgreSQL folds what isn't quoted.
pub(crate) fn identifier(ident: &Ident, engine: Engine) -> String {
    if engine.tells_case() && ident.quote_style.is_none() { ident.value.to_lowercase() } else { ident.value.clone() }
}
