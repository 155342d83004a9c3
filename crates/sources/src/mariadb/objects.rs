//! Routines, events and sequences of MariaDB and MySQL in the neutral model.

use super::ask::{Row, at, quoted};
use super::lists::Lists;
use ysomorph_core::name;
use ysomorph_core::schema::{Event, Objects, Routine, Sequence};

/// Adds a database's objects; gives the names of routines whose bodies may not be seen.
pub(super) fn add(objects: &mut Objects, home: &str, schema: &str, lists: &Lists) -> Vec<String> {
    let mut unseen = Vec::new();
    let shown = |own: &str| match schema == home {
        true => name::written(own),
        false => format!("{}.{}", name::written(schema), name::written(own)),
    };
    for row in &lists.routines {
        if row[4].is_none() {
            unseen.push(at(row, 1).to_owned());
        }
        let own: Vec<&Row> = lists.parameters.iter().filter(|p| p[0] == row[0] && at(p, 1) != "0").collect();
        let argument = |p: &&Row| [at(p, 2), at(p, 3), at(p, 4)].iter().filter(|t| !t.is_empty()).copied().collect::<Vec<_>>().join(" ");
        let is_function = at(row, 2) == "FUNCTION";
        let mut options = Vec::new();
        options.extend((at(row, 5) == "YES").then(|| "deterministic".to_owned()));
        options.extend((at(row, 6) != "CONTAINS SQL").then(|| at(row, 6).to_lowercase()));
        options.extend((at(row, 7) != "DEFINER").then(|| "security invoker".to_owned()));
        objects.routines.push(Routine {
            name: shown(at(row, 1)),
            kind: at(row, 2).to_lowercase(),
            arguments: own
                .iter()
                .map(argument)
                // Everything a function takes is taken in.
                .map(|a| if is_function { a.strip_prefix("IN ").map(str::to_owned).unwrap_or(a) } else { a })
                .collect(),
            returns: row[3].clone().filter(|_| is_function),
            result: Vec::new(),
            language: "sql".to_owned(),
            body: without_database(schema, at(row, 4)),
            options,
            owner: row[8].clone(),
            grants: Vec::new(),
        });
    }
    for row in &lists.events {
        let schedule = match at(row, 2) {
            "ONE TIME" => format!("once at {}", at(row, 3)),
            _ => {
                let limits: String = [("from", 6), ("until", 7)]
                    .iter()
                    .filter(|(_, place)| row[*place].is_some())
                    .map(|(word, place)| format!(" {word} {}", at(row, *place)))
                    .collect();
                format!("every {} {}{limits}", at(row, 4), at(row, 5).to_lowercase())
            }
        };
        let body = without_database(schema, at(row, 1));
        objects.events.push(Event { name: shown(at(row, 0)), schedule, body, off: at(row, 8) != "ENABLED" });
    }
    for row in &lists.sequences {
        let number = |place: usize| at(row, place).parse().unwrap_or_default();
        objects.sequences.push(Sequence {
            name: shown(at(row, 0)),
            of: None,
            start: number(1),
            least: number(2),
            greatest: number(3),
            step: number(4),
            cycles: at(row, 5) == "1",
            grants: Vec::new(),
        });
    }
    unseen
}

/// A text without the name of the database it is in, so that databases of other names compare. Strings stay.
pub(super) fn without_database(schema: &str, text: &str) -> String {
    let prefix = format!("{}.", quoted(schema));
    if !text.contains(&prefix) {
        return text.to_owned();
    }
    let (mut out, mut rest, mut quote) = (String::with_capacity(text.len()), text, None);
    while let Some(c) = rest.chars().next() {
        if quote.is_none() && rest.starts_with(&prefix) {
            rest = &rest[prefix.len()..];
            continue;
        }
        match quote {
            Some(q) if c == q => quote = None,
            None if c == '\'' || c == '"' => quote = Some(c),
            _ => {}
        }
        out.push(c);
        rest = &rest[c.len_utf8()..];
    }
    out
}

#[cfg(test)]
mod tests {
    #[test]
    fn only_names_lose_their_database() {
        let text = "select `combs`.`hive`.`tag` from `combs`.`hive` where note = '`combs`.`hive`'";
        assert_eq!(super::without_database("combs", text), "select `hive`.`tag` from `hive` where note = '`combs`.`hive`'");
    }
}
