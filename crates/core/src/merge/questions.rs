//! What only a person can decide: stable names, choices with what each would do, and a safe choice.

use super::element::Element;
use crate::definition::Node;
use crate::name;
use crate::rename::{Evidence, Rename};
use schemars::JsonSchema;
use serde::Serialize;

/// A question.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Question {
    /// Its stable name.
    pub name: String,
    /// What is asked, in a sentence.
    pub text: String,
    /// The choices, the most likely first.
    pub choices: Vec<String>,
    /// What each choice would do.
    pub effects: Vec<String>,
    /// The choice that risks nothing.
    pub safe: String,
    /// The answer given.
    pub answer: Option<String>,
}

impl Question {
    fn new(name: String, text: String, choices: Vec<(String, String)>, safe: &str) -> Question {
        let (choices, effects) = choices.into_iter().unzip();
        Question { name, text, choices, effects, safe: safe.to_owned(), answer: None }
    }

    /// Whether nobody has answered it.
    pub fn is_open(&self) -> bool {
        self.answer.is_none()
    }
}

/// Was it renamed?
pub(super) fn about_rename(rename: &Rename) -> Question {
    let old = match &rename.column {
        Some(column) => name::dotted(&rename.table, column),
        None => name::written(&rename.table),
    };
    let mut choices: Vec<(String, String)> = rename
        .candidates
        .iter()
        .map(|new| (new.clone(), format!("`{}` is `{}` now: labels, places and rules move along", name::shown(&old), name::shown(new))))
        .collect();
    let what = if rename.column.is_some() { "field" } else { "entity" };
    choices.push(("separate".to_owned(), format!("not a rename: the {what} is set aside until `{}` returns", name::shown(&old))));
    let text = match (&rename.to, &rename.evidence) {
        (Some(to), evidence @ Evidence::Likely { reasons, .. }) => {
            format!(
                "`{}` is gone and `{}` is new: {} a rename ({})",
                name::shown(&old),
                name::shown(to),
                evidence.words(),
                reasons.join(", ")
            )
        }
        (Some(to), Evidence::Certain { reasons }) => {
            format!("`{}` was renamed to `{}` ({})", name::shown(&old), name::shown(to), reasons.join(", "))
        }
        (None, _) => format!("`{}` is gone; several new names could be it", name::shown(&old)),
    };
    Question::new(rename.question(), text, choices, "separate")
}

/// Shall the application show a new table?
pub(super) fn about_table(table: &str) -> Question {
    let choices = vec![
        ("in".to_owned(), "draft pages for it, open only to the role that `start` drafted".to_owned()),
        ("out".to_owned(), "leave it out for good: it goes to `tables.exclude` in ysomorph.toml".to_owned()),
        ("later".to_owned(), "leave it out for now; it can be taken in at any time".to_owned()),
    ];
    Question::new(format!("table/{}", name::written(table)), format!("`{}` is new in the database", name::shown(table)), choices, "later")
}

/// Where does a new field go on pages laid out by hand?
pub(super) fn about_field(table: &str, column: &str, pages: &[String], cannot_save_without: &[String]) -> Question {
    let safe = if cannot_save_without.is_empty() {
        "leave it off every page".to_owned()
    } else {
        format!("leave it off, except on {}, which couldn't save without it", cannot_save_without.join(", "))
    };
    let choices =
        vec![("append".to_owned(), format!("place it where the generator would, on {}", pages.join(", "))), ("leave-out".to_owned(), safe)];
    let text = format!(
        "`{}` is new, and {} laid out by hand",
        name::shown(&name::dotted(table, column)),
        if pages.len() == 1 { format!("the page {} is", pages.join("")) } else { format!("the pages {} are", pages.join(", ")) }
    );
    Question::new(format!("new-field/{}", name::dotted(table, column)), text, choices, "leave-out")
}

/// The name of the question about an entity's own SQL.
pub(super) fn source_question(entity: &str) -> String {
    format!("source/{}", name::written(entity))
}

/// Which columns tell a view's records apart?
pub(super) fn about_key(entity: &str, table: &str, keys: &[Vec<String>]) -> Question {
    let written = |key: &Vec<String>| key.iter().map(|c| name::written(c)).collect::<Vec<_>>().join(",");
    let effect = |key: &Vec<String>| match key.as_slice() {
        [one] => format!("no two records of the view have the same `{}`", name::shown(one)),
        several => format!("no two records have the same {} together", name::shown(&several.join(", "))),
    };
    let choices: Vec<(String, String)> = keys.iter().map(|key| (written(key), effect(key))).collect();
    let safe = choices.first().map(|(choice, _)| choice.clone()).unwrap_or_default();
    let text = format!("the view `{}` doesn't say what tells the records of {} apart", name::shown(table), name::shown(entity));
    Question::new(format!("key/{}", name::written(table)), text, choices, &safe)
}

/// What becomes of SQL of a person's own that names what is gone?
pub(super) fn about_source(entity: &str, gone: &[super::Thing]) -> Question {
    let choices = vec![
        (
            "set-aside".to_owned(),
            "set it aside, with the fields that only it gives; its pages show no record until you say which".to_owned(),
        ),
        ("keep".to_owned(), "keep it as it is, and fix it by hand: its pages fail until then".to_owned()),
    ];
    let mut names: Vec<String> = gone.iter().map(super::Thing::shown).collect();
    names.sort();
    names.dedup();
    let text = format!("the SQL under [source] of {} names {}, gone from the database", name::shown(entity), names.join(" and "));
    Question::new(source_question(entity), text, choices, "keep")
}

/// A hand-made limit that is looser than what the database declares now.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Limit {
    pub question: String,
    pub element: Element,
    pub yours: Option<Node>,
    pub database: Option<Node>,
}

/// Does a limit follow the database?
pub(super) fn about_limit(limit: &Limit) -> Question {
    let value = |node: &Option<Node>| {
        let names = |n: &Node| n.items().iter().map(Node::member_name).collect::<Vec<_>>().join(", ");
        node.as_ref().map_or_else(|| "none".to_owned(), |n| n.as_scalar().unwrap_or_else(|| names(n)))
    };
    let (yours, database) = (value(&limit.yours), value(&limit.database));
    let choices = vec![
        ("database".to_owned(), format!("take {database}; yours ({yours}) comes back when the database accepts it again")),
        ("keep".to_owned(), format!("keep {yours}: some input will be refused or cut by the database")),
    ];
    let text = format!("{} is {yours} by hand, and the database declares {database} now", limit.element.shown());
    Question::new(limit.question.clone(), text, choices, "database")
}

fn number(node: Option<&Node>) -> Option<f64> {
    node.and_then(Node::as_scalar)?.parse().ok()
}

/// Whether a limit allows more than the database declares.
pub(super) fn looser(key: &str, yours: Option<&Node>, database: Option<&Node>) -> bool {
    match key {
        "required" => database.and_then(Node::as_bool) == Some(true) && yours.and_then(Node::as_bool) != Some(true),
        "max_length" => database.and_then(Node::as_int).is_some_and(|most| yours.and_then(Node::as_int).is_none_or(|mine| mine > most)),
        "min" => number(database).is_some_and(|least| number(yours).is_none_or(|mine| mine < least)),
        "max" => number(database).is_some_and(|most| number(yours).is_none_or(|mine| mine > most)),
        _ => false,
    }
}
