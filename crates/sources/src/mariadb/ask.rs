//! Questions to the server, and how names and texts are written in them.

use crate::address::Address;
use crate::server::{ServerError, Trouble, of_io};
use mysql::prelude::Queryable;
use mysql::{Conn, DriverError, Error, Value};
use ysomorph_core::name;
use ysomorph_core::schema::Engine;

/// Asks one question at a time.
pub(super) struct Ask<'a> {
    pub connection: &'a mut Conn,
    pub address: &'a Address,
}

/// A row: each value as text.
pub(super) type Row = Vec<Option<String>>;

impl Ask<'_> {
    /// The rows of a question.
    pub fn rows(&mut self, sql: &str) -> Result<Vec<Row>, ServerError> {
        let address = self.address;
        let failed = |error: Error| told(address, &error);
        let mut rows = Vec::new();
        for row in self.connection.query_iter(sql).map_err(failed)? {
            rows.push(row.map_err(failed)?.unwrap().into_iter().map(text).collect());
        }
        Ok(rows)
    }

    /// The first value of a question's first row.
    pub fn text(&mut self, sql: &str) -> Result<String, ServerError> {
        Ok(self.rows(sql)?.into_iter().flatten().next().flatten().unwrap_or_default())
    }
}

fn text(value: Value) -> Option<String> {
    match value {
        Value::NULL => None,
        Value::Bytes(bytes) => Some(String::from_utf8(bytes).unwrap_or_else(|e| String::from_utf8_lossy(e.as_bytes()).into_owned())),
        other => Some(other.as_sql(true).trim_matches('\'').to_owned()),
    }
}

/// A quoted identifier.
pub(crate) fn quoted(identifier: &str) -> String {
    name::quoted_for(identifier, Engine::Mariadb)
}

/// A string in SQL.
pub(super) fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\\', "\\\\").replace('\'', "''"))
}

/// A value of a row.
pub(super) fn at(row: &Row, place: usize) -> &str {
    row.get(place).and_then(Option::as_deref).unwrap_or_default()
}

/// A driver's error in plain words.
pub(crate) fn told(address: &Address, error: &Error) -> ServerError {
    let (trouble, message) = match error {
        Error::MySqlError(e) => {
            let trouble = match e.code {
                1045 | 1698 | 1130 | 1251 => Trouble::Login,
                1049 => Trouble::NoDatabase,
                1044 | 1142 | 1143 | 1227 | 1370 | 1356 => Trouble::Denied,
                1205 | 1213 => Trouble::Locked,
                1969 | 3024 => Trouble::TooSlow,
                1053 | 1927 | 4031 => Trouble::Lost,
                _ => Trouble::Other,
            };
            (trouble, e.message.clone())
        }
        Error::IoError(io) => (of_io(io), io.to_string()),
        Error::DriverError(DriverError::ConnectTimeout | DriverError::Timeout) => (Trouble::Hangs, "no answer in time".to_owned()),
        Error::DriverError(DriverError::CouldNotConnect(inner)) => {
            let message = inner.as_ref().map_or_else(String::new, |(_, message, _)| message.clone());
            let refused = message.contains("refused") || message.is_empty();
            (if refused { Trouble::Refused } else { Trouble::Other }, if message.is_empty() { error.to_string() } else { message })
        }
        Error::DriverError(DriverError::TlsNotSupported) => (Trouble::Tls, "the server doesn't offer encryption".to_owned()),
        Error::TlsError(e) => (Trouble::Tls, e.to_string()),
        Error::CodecError(e) => (Trouble::Lost, e.to_string()),
        other => (Trouble::Other, other.to_string()),
    };
    ServerError::new(address, trouble, &message)
}
