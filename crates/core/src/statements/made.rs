//! How it becomes known what the database made: the key of a new record.

use super::dialect::as_text;
use crate::name::{contains, quoted_for as quoted};
use crate::schema::{Engine, Table};

/// What tells the values of a record that was just inserted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Made {
    /// The insertion gives them back, as texts.
    Returned,
    /// They are what was given; the one that wasn't is the number that the engine made, which this asks for, as text.
    Numbered(String),
    /// They are what was given.
    Given,
    /// Nothing does.
    Unknown,
}

impl Made {
    /// For these columns of a table, where a value is given for some. One engine gives nothing back of what it inserted but its number;
    /// the other one of that family does only since a few years, so that is asked for its number, too.
    pub(super) fn of(columns: &[&str], given: &[String], table: Option<&Table>, engine: Engine) -> Made {
        if columns.is_empty() {
            return Made::Unknown;
        }
        if !engine.is_mysql_like() {
            return Made::Returned;
        }
        let missing: Vec<&&str> = columns.iter().filter(|column| !contains(given, column)).collect();
        let is_numbered = |column: &str| table.and_then(|table| table.column(column)).is_some_and(|column| column.auto);
        match missing.as_slice() {
            [one] if is_numbered(one) => Made::Numbered(format!("SELECT {}", as_text("last_insert_id()", engine))),
            _ if engine == Engine::Mariadb => Made::Returned,
            [] => Made::Given,
            _ => Made::Unknown,
        }
    }

    /// What an insertion says behind it.
    pub(super) fn tail(&self, columns: &[&str], engine: Engine) -> String {
        let texts: Vec<String> = columns.iter().map(|column| as_text(&quoted(column, engine), engine)).collect();
        if *self == Made::Returned { format!(" RETURNING {}", texts.join(", ")) } else { String::new() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::Column;

    #[test]
    fn each_engine_tells_the_key_of_a_new_record_in_the_way_it_can() {
        let column = |name: &str, auto: bool| Column { name: name.to_owned(), auto, ..Column::default() };
        let table = Table { columns: vec![column("id", true), column("code", false), column("mark", false)], ..Table::default() };
        let number = Made::Numbered("SELECT CAST(last_insert_id() AS CHAR)".to_owned());
        for (engine, key, given, wanted) in [
            (Engine::Sqlite, &["id"][..], &[][..], Made::Returned),
            (Engine::Postgresql, &["code"], &["code"], Made::Returned),
            (Engine::Mariadb, &["id"], &["code"], number.clone()),
            (Engine::Mysql, &["id"], &["code"], number.clone()),
            (Engine::Mysql, &["id"], &["ID"], Made::Given),
            (Engine::Mysql, &["id", "code"], &["code"], number),
            (Engine::Mysql, &["code", "mark"], &["code", "mark"], Made::Given),
            // A default of the database's own.
            (Engine::Mysql, &["code"], &["mark"], Made::Unknown),
            (Engine::Mariadb, &["code"], &["mark"], Made::Returned),
            (Engine::Mysql, &["id", "code"], &[], Made::Unknown),
            (Engine::Sqlite, &[], &["code"], Made::Unknown),
        ] {
            let given: Vec<String> = given.iter().map(|name| (*name).to_owned()).collect();
            assert_eq!(Made::of(key, &given, Some(&table), engine), wanted, "{engine:?} {key:?} {given:?}");
        }
    }
}
