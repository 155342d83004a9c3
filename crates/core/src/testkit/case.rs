//! A case: what is there, and what happens to it.
//!
//! ```text
//! # Why this case is here.
//! on sqlite                                      the engine; PostgreSQL where a case says nothing
//! before keeper + unique last_name               the database as it was accepted, other than KEEPERS
//! given keeper/field.phone.required = true       the definition, other than its draft
//! code q.sql: SELECT phone FROM keeper           a file of hand-written code
//! translated keeper/field/phone/label: Phone = Telefon    `fuzzy` before it where it was made of another text
//! counted 3                                      how many records every count of the rule finds
//! after keeper.phone -> mobile                   what happens to the database
//! ```
//!
//! Cases are parted by empty lines; what is expected of them is told by lines with other words. Steps of a database are told in
//! [`super::steps`], edits of a definition in [`super::definition`].

use super::definition::{drafted, edit, lined};
use super::schema::schema_on;
use super::steps::{numbered, step};
use crate::definition::Tree;
use crate::impact::{Around, Location, Translation};
use crate::schema::{Engine, Schema};
use std::collections::BTreeMap;

/// The database that cases begin with.
const KEEPERS: &str = "
    region: id integer key numbered; code text(8) required unique; name text(40) required; active integer required default 1
    keeper: id integer key numbered; last_name text(60) required; phone text(20); region_code text(8) -> region.code; born_on date; age integer
    region_helper: region_id integer required -> region; keeper_id integer required -> keeper; key region_id keeper_id
    visit: id integer key numbered; keeper_id integer required -> keeper; day date required; note text(40)
    view grown_up: id integer; last_name text(60); age integer = SELECT id, last_name, age FROM keeper
";

/// A role that isn't allowed everything.
const GUEST: [&str; 2] =
    ["app/role.guest = {}", "keeper/access.guest = { read = true, rows = \"age > 17\", hide = [\"phone\"], read_only = [\"born_on\"] }"];

/// The cases of a text.
pub fn cases(text: &str) -> impl Iterator<Item = &str> {
    text.split("\n\n").map(|case| case.trim_matches('\n')).filter(|case| case.lines().any(is_said))
}

/// What stands behind a word at the beginning of the lines of a case.
pub fn said<'c>(case: &'c str, word: &'static str) -> impl Iterator<Item = &'c str> {
    case.lines().map(str::trim).filter(|line| is_said(line)).filter_map(move |line| line.strip_prefix(word)?.strip_prefix(' '))
}

fn is_said(line: &str) -> bool {
    !line.trim().is_empty() && !line.trim().starts_with('#')
}

#[derive(Default)]
pub struct Case {
    pub before: Schema,
    pub after: Option<Schema>,
    pub tree: Tree,
    pub places: BTreeMap<(String, u32), String>,
    pub answers: BTreeMap<String, String>,
    pub code: Vec<(String, String)>,
    pub around: Around,
    pub counted: u64,
}

impl Case {
    pub fn read(text: &str) -> Case {
        let lines: Vec<(&str, &str)> =
            text.lines().map(str::trim).filter(|line| is_said(line)).map(|line| line.split_once(' ').unwrap_or((line, ""))).collect();
        let engine = match lines.iter().find(|(word, _)| *word == "on").map(|(_, engine)| *engine) {
            None => Engine::Postgresql,
            Some("sqlite") => Engine::Sqlite,
            Some("mariadb") => Engine::Mariadb,
            Some(other) => panic!("`{other}` is no engine"),
        };
        let mut case = Case { before: schema_on(engine, KEEPERS), ..Case::default() };
        for line in said(text, "before") {
            if line == "numbered" { numbered(&mut case.before) } else { drop(step(&mut case.before, line)) }
        }
        case.tree = drafted(&case.before);
        GUEST.into_iter().chain(said(text, "given")).for_each(|line| edit(&mut case.tree, line));
        case.places = lined(&mut case.tree);
        for line in said(text, "after") {
            let after = case.after.get_or_insert_with(|| case.before.clone());
            let names = step(after, line);
            case.answers.extend(names.table_renames().map(|(from, to)| (format!("rename/{from}"), to.to_owned())));
            case.answers.extend(names.column_renames().map(|(of, from, to)| (format!("rename/{of}.{from}"), to.to_owned())));
        }
        for (word, rest) in &lines {
            match *word {
                "code" => {
                    let (file, text) = rest.split_once(": ").unwrap_or_else(|| panic!("code is `FILE: TEXT`, not `{rest}`"));
                    case.code.push((file.to_owned(), text.replace("\\n", "\n")));
                }
                "translated" | "fuzzy" => case.around.translations.push(translation(rest, *word == "fuzzy")),
                "answer" => {
                    let (question, choice) = rest.split_once(' ').unwrap_or_else(|| panic!("an answer is `QUESTION CHOICE`, not `{rest}`"));
                    case.answers.insert(question.to_owned(), choice.to_owned());
                }
                "counted" => case.counted = rest.parse().unwrap_or_else(|_| panic!("`{rest}` is no number")),
                "password" => case.around.passwords.push(Location { file: "ysomorph.toml".to_owned(), line: 3, column: 1 }),
                "on" | "before" | "given" | "after" | "finds" | "then" | "asks" | "closed" => {}
                other => panic!("`{other}` says nothing"),
            }
        }
        case
    }
}
/// `keeper/field/phone/label: Phone = Telefon`
fn translation(text: &str, fuzzy: bool) -> Translation {
    let (context, texts) = text.split_once(": ").unwrap_or_else(|| panic!("a translation is `PATH: TEXT = TEXT`, not `{text}`"));
    let (id, text) = texts.split_once(" =").unwrap_or_else(|| panic!("`{texts}` translates nothing"));
    Translation {
        language: "de".to_owned(),
        context: context.to_owned(),
        id: id.to_owned(),
        text: text.trim().to_owned(),
        fuzzy,
        at: Location { file: "app/labels.de.po".to_owned(), line: 4, column: 1 },
    }
}
