//! What a refusal of the server means.

use mysql::MySqlError;
use ysomorph_core::refusal::{Refusal, RefusalKind};

/// By the server's numbers (its reference of error codes), else by the class of the state.
pub(crate) fn refusal(error: &MySqlError) -> Refusal {
    let kind = match error.code {
        1022 | 1062 | 1169 | 1586 => RefusalKind::Taken,
        1216 | 1452 => RefusalKind::NothingThere,
        1217 | 1451 => RefusalKind::ReferredTo,
        1048 | 1364 => RefusalKind::Empty,
        3819 | 4025 => RefusalKind::Check,
        1406 => RefusalKind::TooLong,
        1264 | 1441 | 1690 => RefusalKind::OutOfRange,
        1265 | 1292 | 1366 | 1411 | 1525 | 3140 => RefusalKind::WrongValue,
        1205 | 1213 => RefusalKind::Locked,
        1644 => RefusalKind::Own,
        _ if error.state.starts_with("22") => RefusalKind::WrongValue,
        _ if error.state.starts_with("23") => RefusalKind::Check,
        _ if error.state.starts_with("45") => RefusalKind::Own,
        _ => RefusalKind::Statement,
    };
    let (constraint, columns) = named(&error.message, kind);
    let code = Some(format!("{}/{}", error.code, error.state));
    Refusal { kind, constraint, columns, ..Refusal::of_statement(&error.message, code, None) }
}

/// The constraint and the columns that a message names: "Duplicate entry 'a value' for key 'hive.tag'", "CONSTRAINT `heavy` failed for
/// `db`.`hive`", "Column 'tag' cannot be null", "Data too long for column 'tag' at row 1". Names stand at the end, behind any value.
fn named(message: &str, kind: RefusalKind) -> (Option<String>, Vec<String>) {
    let behind = |word: &str, quote: char| -> Option<String> {
        let (_, rest) = message.rsplit_once(word)?;
        let (name, _) = rest.strip_prefix(quote)?.split_once(quote)?;
        Some(name.to_owned())
    };
    match kind {
        RefusalKind::Taken => (behind("for key ", '\''), Vec::new()),
        RefusalKind::Check => (behind("CONSTRAINT ", '`').or_else(|| behind("constraint ", '\'')), Vec::new()),
        RefusalKind::NothingThere | RefusalKind::ReferredTo => {
            (behind("CONSTRAINT ", '`'), behind("FOREIGN KEY (", '`').into_iter().collect())
        }
        RefusalKind::Empty => (None, behind("Column ", '\'').or_else(|| behind("Field ", '\'')).into_iter().collect()),
        RefusalKind::WrongValue => {
            let qualified = message.rsplit_once("for column ").map(|(_, rest)| rest.split(" at row").next().unwrap_or(rest));
            let name = qualified.and_then(|name| name.trim_matches(['`', '\'']).rsplit(['`', '\'']).next()).map(str::to_owned);
            (None, name.into_iter().collect())
        }
        RefusalKind::TooLong | RefusalKind::OutOfRange => (None, behind("for column ", '\'').into_iter().collect()),
        _ => (None, Vec::new()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_found_behind_the_values_that_a_message_quotes() {
        use RefusalKind::*;
        for (message, kind, constraint, columns) in [
            ("Duplicate entry 'x' for key 'y' for key 'hive.tag'", Taken, Some("hive.tag"), &[][..]),
            ("CONSTRAINT `heavy` failed for `db`.`hive`", Check, Some("heavy"), &[]),
            ("Column 'tag' cannot be null", Empty, None, &["tag"]),
            ("Field 'tag' doesn't have a default value", Empty, None, &["tag"]),
            ("Data too long for column 'tag' at row 1", TooLong, None, &["tag"]),
            ("Incorrect integer value: 'a' for column `db`.`hive`.`weight` at row 1", WrongValue, None, &["weight"]),
            ("Data truncated for column 'temper' at row 1", WrongValue, None, &["temper"]),
            (
                "Cannot add or update a child row: a foreign key constraint fails (`db`.`hive`, CONSTRAINT `hive_yard` FOREIGN KEY (`yard_id`) REFERENCES `yard` (`id`))",
                NothingThere,
                Some("hive_yard"),
                &["yard_id"],
            ),
        ] {
            let found = named(message, kind);
            assert_eq!(
                (found.0.as_deref(), found.1.iter().map(String::as_str).collect::<Vec<_>>()),
                (constraint, columns.to_vec()),
                "{message}"
            );
        }
    }
}
