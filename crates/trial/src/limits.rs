//! What is wrong with a value: every key of a field that limits it, for forms, the server's side of them and imports alike.

use crate::bytes::{from_hex, is_accepted, picture};
use crate::form::{has_members, is_bytes, members, with_point};
use std::cmp::Ordering;
use ysomorph_core::definition::Field;
use ysomorph_core::name::shown;

/// What is wrong with a value as it was typed; nothing where it can be saved.
pub fn wrong(field: &Field, typed: &str) -> Option<String> {
    if typed.is_empty() {
        // No member at all is a value, too, where several can be chosen.
        return (field.required && !has_members(field)).then(|| "A value is needed.".to_owned());
    }
    if is_bytes(field) {
        return wrong_file(field, typed);
    }
    if field.lookup.is_some() {
        return None;
    }
    let is_offered = |value: &str| field.choices.iter().any(|choice| choice.value.value == value);
    let is_none_of_them = if has_members(field) { !members(field, typed).into_iter().all(is_offered) } else { !is_offered(typed) };
    if !field.choices.is_empty() && is_none_of_them {
        return Some("Choose one of those that are offered.".to_owned());
    }
    let text = typed.replace("\r\n", "\n");
    let length = text.chars().count();
    if let Some(most) = field.max_length.and_then(|most| usize::try_from(most).ok()).filter(|most| length > *most) {
        return Some(format!("At most {most} characters; these are {length}."));
    }
    let typed = with_point(field, &text);
    wrong_kind(field, &typed).or_else(|| beyond(field, &typed)).or_else(|| {
        let pattern = field.pattern.as_ref().filter(|pattern| !pattern.fits(&typed))?;
        Some(format!("It has to look like {}", shown(pattern.text())))
    })
}

/// What is wrong with a value for its kind alone.
fn wrong_kind(field: &Field, typed: &str) -> Option<String> {
    let told = |is_wrong: bool, what: &str| is_wrong.then(|| what.to_owned());
    match field.kind.as_str() {
        "boolean" => told(!["0", "1"].contains(&typed), "Yes or no."),
        "number" => told(!is_number(typed, 0), "A whole number, such as 12."),
        "decimal" | "money" | "percent" => {
            let places = field.decimals.and_then(|places| usize::try_from(places).ok());
            match places {
                Some(places) if is_number(typed, 1_000) && !is_number(typed, places) => Some(format!("At most {places} decimals.")),
                _ => told(!is_number(typed, 1_000), "A number with a point, such as 12.5."),
            }
        }
        "date" => told(typed.parse::<jiff::civil::Date>().is_err(), "A day, such as 2026-05-31."),
        "time" => told(typed.parse::<jiff::civil::Time>().is_err(), "A time, such as 14:30."),
        "date-time" => told(!is_moment(typed), "A day and a time, such as 2026-05-31 14:30."),
        "email" => {
            let is_address = typed.split_once('@').is_some_and(|(name, host)| !name.is_empty() && !host.is_empty());
            told(!is_address, "An address, such as ada@example.org.")
        }
        "url" => told(!typed.starts_with("https://") && !typed.starts_with("http://"), "An address that begins with https://."),
        _ => None,
    }
}

fn wrong_file(field: &Field, typed: &str) -> Option<String> {
    match from_hex(typed) {
        None => Some("It can't be read: choose it again.".to_owned()),
        Some(bytes) if field.kind == "image" && picture(&bytes).is_none() => Some("A picture: PNG, JPEG, GIF or WebP.".to_owned()),
        Some(bytes) if !is_accepted(&bytes, &field.accept) => {
            let types: Vec<String> = field.accept.iter().map(|accepted| shown(accepted)).collect();
            Some(format!("A file of another type: {}.", types.join(", ")))
        }
        Some(_) => None,
    }
}

/// Whether a text is a day with a time, as controls and databases write it; a zone may follow.
fn is_moment(typed: &str) -> bool {
    let text = typed.trim().replacen(' ', "T", 1);
    let Some(at) = text.find('T') else { return text.parse::<jiff::civil::Date>().is_ok() };
    let zone = text[at..].find(['+', '-', 'Z', 'z']).map_or(text.len(), |zone| at + zone);
    text[..zone].trim_end().parse::<jiff::civil::DateTime>().is_ok()
}

/// Whether a value is below the least or above the greatest one.
fn beyond(field: &Field, typed: &str) -> Option<String> {
    let order = |limit: &str| -> Option<Ordering> {
        match field.kind.as_str() {
            "date" | "time" => Some(typed.cmp(limit)),
            "date-time" => Some(typed.replacen('T', " ", 1).as_str().cmp(limit.replacen('T', " ", 1).as_str())),
            "number" | "decimal" | "money" | "percent" => typed.parse::<f64>().ok()?.partial_cmp(&limit.parse::<f64>().ok()?),
            _ => match (typed.parse::<f64>(), limit.parse::<f64>()) {
                (Ok(typed), Ok(limit)) => typed.partial_cmp(&limit),
                _ => Some(typed.cmp(limit)),
            },
        }
    };
    let (min, max) = (field.min.as_ref().map(|m| m.value.as_str()), field.max.as_ref().map(|m| m.value.as_str()));
    if let Some(min) = min.filter(|min| order(min) == Some(Ordering::Less)) {
        return Some(format!("Not below {}.", shown(min)));
    }
    max.filter(|max| order(max) == Some(Ordering::Greater)).map(|max| format!("Not above {}.", shown(max)))
}

/// Whether a text is a number with at most so many decimals.
fn is_number(text: &str, places: usize) -> bool {
    let digits = |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_digit());
    let text = text.strip_prefix('-').unwrap_or(text);
    match text.split_once('.') {
        None => digits(text),
        Some((whole, part)) => digits(whole) && digits(part) && part.len() <= places,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ysomorph_core::definition::{FileKey, Model, Node, Tree};

    /// Keys of a field, what it takes and what it refuses.
    type Case<'c> = (Vec<(&'c str, Node)>, &'c [&'c str], &'c [&'c str]);

    /// A field with these keys beside its column.
    fn field(keys: &[(&str, Node)]) -> Field {
        let field = keys.iter().fold(Node::table().with("column", "it".into()), |field, (key, value)| field.with(key, value.clone()));
        let fields = Node::table().with("it", field);
        let root = Node::table().with("table", "hive".into()).with("key", Node::texts(&["id".to_owned()])).with("field", fields);
        let mut tree = Tree::default();
        tree.files.insert(FileKey::Entity("hive".to_owned()), root);
        Model::of(&tree).entities["hive"].fields[0].clone()
    }

    #[test]
    fn every_key_that_limits_a_value_is_held_to() {
        let kind = |kind: &str| ("kind", Node::from(kind));
        let choices = || {
            let choice = |value: &str| Node::table().with("value", value.into());
            ("choices", Node::new(ysomorph_core::definition::Value::List(vec![choice("a"), choice("b")])))
        };
        let cases: Vec<Case> = vec![
            (vec![("required", Node::from(true))], &["x"], &[""]),
            (vec![("max_length", Node::from(2))], &["ab", "äö", "a\r\n"], &["abc"]),
            (vec![("pattern", "[A-Z]{2}[0-9]+".into())], &["AB1", ""], &["ab1", "AB", "AB1 ", "\nAB1"]),
            (vec![kind("number"), ("min", Node::from(3)), ("max", Node::from(5))], &["3", "5"], &["2", "6", "4.5", "x"]),
            (vec![kind("decimal"), ("decimals", Node::from(1))], &["1.5", "1,5", "-2"], &["1.55", "1,55", "1.5.5", "x"]),
            (vec![kind("decimal"), ("max", Node::from(12))], &["11,9"], &["12,5"]),
            (vec![kind("date"), ("min", "2026-01-01".into())], &["2026-01-01"], &["2025-12-31", "31.12.2026", "2026-02-30"]),
            (vec![kind("time"), ("max", "12:00".into())], &["11:59"], &["12:01", "25:00"]),
            (
                vec![kind("date-time"), ("min", "2026-01-01 00:00".into())],
                &["2026-01-01T00:00", "2026-05-01 10:00:30", "2026-05-01 10:00:30+02"],
                &["2025-12-31T23:59", "2026-05-01T25:61", "x"],
            ),
            (vec![kind("choice"), choices()], &["a", ""], &["c", "a,b"]),
            (vec![kind("list"), choices()], &["a", "b,a", ""], &["c", "a,c"]),
            (vec![kind("list"), choices(), ("required", Node::from(true))], &["", "a"], &["c"]),
            (vec![kind("boolean")], &["0", "1"], &["yes"]),
            (vec![kind("email")], &["ada@example.org"], &["ada", "@x"]),
            (vec![kind("url")], &["https://example.org"], &["javascript:x"]),
            (vec![kind("file"), ("accept", Node::texts(&["application/pdf".to_owned()]))], &["255044462d31"], &["68656c6c6f", "zz"]),
            (vec![kind("image")], &["ffd8ff00"], &["68656c6c6f"]),
        ];
        for (keys, taken, refused) in cases {
            let field = field(&keys);
            for value in taken {
                assert_eq!(wrong(&field, value), None, "{keys:?} {value}");
            }
            for value in refused {
                assert!(wrong(&field, value).is_some(), "{keys:?} {value}");
            }
        }
    }

    #[test]
    fn numbers_are_read_as_people_and_databases_write_them() {
        for (text, places, wanted) in [
            ("12", 0, true),
            ("-3", 0, true),
            ("12.5", 0, false),
            ("12.5", 1, true),
            ("12.55", 1, false),
            ("12,5", 2, false),
            ("", 2, false),
            ("-", 2, false),
            (".5", 2, false),
            ("5.", 2, false),
            ("1e3", 2, false),
            ("٣", 2, false),
        ] {
            assert_eq!(is_number(text, places), wanted, "{text}");
        }
    }
}
