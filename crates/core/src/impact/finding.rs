//! The vocabulary of findings.

use super::named::ABOUT_CODE;
use crate::definition::{At, FileKey, Model, Place};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// How bad it is for the present definition on the changed schema.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Fails when used.
    Break,
    /// Works, but wrong, unprotected or lossy.
    Risk,
    /// Worth knowing.
    Note,
}

impl Severity {
    /// The word in messages.
    pub fn word(self) -> &'static str {
        match self {
            Severity::Break => "break",
            Severity::Risk => "risk",
            Severity::Note => "note",
        }
    }
}

/// What the merge will do about it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Remedy {
    /// Done for you.
    Merge,
    /// A question.
    Ask,
    /// Left to a person.
    Hand,
    /// Only worth knowing.
    None,
}

/// A place in a file.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
pub struct Location {
    /// The file, relative to the workspace.
    pub file: String,
    /// From 1.
    pub line: u32,
    /// In characters, from 1.
    pub column: u32,
}

impl Location {
    /// A place of the definition; what has none is told at the file's beginning.
    pub fn at(file: &FileKey, at: At) -> Location {
        Location { file: file.path(), line: at.line.max(1), column: at.column.max(1) }
    }
}

impl From<&Place> for Location {
    fn from(place: &Place) -> Location {
        Location::at(&place.file, place.at)
    }
}

/// What became of a name that something uses.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fate {
    /// In words: `` `hive.tag` is gone ``.
    pub text: String,
    /// Whether the change that caused it says so by itself.
    pub is_as_its_cause: bool,
}

impl Fate {
    /// One that its cause doesn't say.
    pub fn other(text: String) -> Fate {
        Fate { text, is_as_its_cause: false }
    }
}

/// Something the maintainer has to know.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
pub struct Finding {
    /// The rule's name.
    pub rule: &'static str,
    /// How bad it is.
    pub severity: Severity,
    /// The entity whose pages are concerned.
    pub entity: Option<String>,
    /// Every page of that entity that is concerned.
    pub pages: Vec<String>,
    /// Set when it concerns one role alone.
    pub role: Option<String>,
    /// The field, where it is about one.
    pub field: Option<String>,
    /// Where the element stands.
    pub at: Option<Location>,
    /// Index of the change that caused it; absent for what was so before.
    pub cause: Option<usize>,
    /// Where on the pages: shown, search, filter, sort.
    pub places: Vec<String>,
    /// What is the matter.
    pub message: String,
    /// What to do.
    pub help: String,
    /// What the merge will do.
    pub remedy: Remedy,
    /// The column it is about, as questions name it.
    #[serde(skip)]
    pub column: Option<String>,
    /// The message where its cause is told beside it; absent where the message says more than the cause does.
    #[serde(skip)]
    pub beside_cause: Option<String>,
    /// What stands at the place and is the matter, where the line itself tells more than its place does; empty where no name does.
    #[serde(skip)]
    pub culprit: Option<String>,
    /// The child list that it is about, by its entity and that one's lookup.
    #[serde(skip)]
    pub child: Option<(String, String)>,
    /// Keys of the field whose edit by a merge settles it.
    #[serde(skip)]
    pub settled_by: &'static [&'static str],
}

impl Finding {
    /// Whether a role meets it: it may use one of the pages, and sees the field that it is about.
    pub fn concerns(&self, role: &str, model: &Model) -> bool {
        if let Some(own) = &self.role {
            return own == role;
        }
        // What is about no entity, or about one that isn't there, is everybody's.
        let Some(entity) = self.entity.as_ref().and_then(|name| model.entities.get(name)) else { return true };
        let Some(access) = entity.access_of(role) else { return false };
        let sees = self.field.as_ref().is_none_or(|field| !access.hides(field));
        let may_use = |name: &String| entity.pages.iter().any(|page| page.name == *name && access.allows(page));
        sees && (self.pages.is_empty() || self.pages.iter().any(may_use))
    }
    /// A finding of a rule, to be filled in.
    pub fn new(rule: &'static str, severity: Severity, message: impl Into<String>) -> Finding {
        Finding {
            rule,
            severity,
            entity: None,
            pages: Vec::new(),
            role: None,
            field: None,
            at: None,
            cause: None,
            places: Vec::new(),
            message: message.into(),
            help: String::new(),
            remedy: Remedy::Hand,
            column: None,
            beside_cause: None,
            culprit: None,
            child: None,
            settled_by: &[],
        }
    }

    /// About this entity.
    #[must_use]
    pub fn entity(mut self, entity: &str) -> Finding {
        self.entity = Some(entity.to_owned());
        self
    }

    /// On these pages.
    #[must_use]
    pub fn pages(mut self, pages: Vec<String>) -> Finding {
        self.pages = pages;
        self
    }

    /// About this field.
    #[must_use]
    pub fn field(mut self, field: &str) -> Finding {
        self.field = Some(field.to_owned());
        self
    }

    /// For this role alone.
    #[must_use]
    pub fn role(mut self, role: &str) -> Finding {
        self.role = Some(role.to_owned());
        self
    }

    /// At this place.
    #[must_use]
    pub fn at(mut self, place: &Place) -> Finding {
        self.at = Some(Location::from(place));
        self
    }

    /// About this column.
    #[must_use]
    pub fn column(mut self, table: &str, column: &str) -> Finding {
        self.column = Some(crate::name::dotted(table, column));
        self
    }

    /// Settled where a merge edits one of these keys of its field.
    #[must_use]
    pub fn settled_by(mut self, keys: &'static [&'static str]) -> Finding {
        self.settled_by = keys;
        self
    }

    /// With what to do.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Finding {
        self.help = help.into();
        self
    }

    /// Whether it is about hand-written code, or programs of the database.
    pub fn is_about_code(&self) -> bool {
        self.rule.starts_with(ABOUT_CODE)
    }

    /// Due to this text at its place: the line is worth showing.
    #[must_use]
    pub fn culprit(mut self, text: &str) -> Finding {
        self.culprit = Some(text.to_owned());
        self
    }

    /// With what became of the name it is about: `the key names a column that is missing: “hive.tag” is gone`.
    #[must_use]
    pub fn with_fate(mut self, fate: &Fate) -> Finding {
        let full = format!("{}: {}", self.message, fate.text);
        let own = std::mem::replace(&mut self.message, full);
        self.beside_cause = fate.is_as_its_cause.then_some(own);
        self
    }

    /// Caused by a change, and what the merge does about it.
    #[must_use]
    pub fn because(mut self, (cause, remedy): (Option<usize>, Remedy)) -> Finding {
        self.cause = cause;
        self.remedy = remedy;
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testkit::{drafted, edit, schema};

    #[test]
    fn a_role_meets_what_is_on_its_pages_and_not_hidden_from_it() {
        let mut tree = drafted(&schema("hive: id integer key; tag text; colour text\nyard: id integer key; name text"));
        edit(&mut tree, "app/role.guest = {}");
        edit(&mut tree, "hive/access.guest = { read = true, hide = [\"colour\"] }");
        let model = Model::of(&tree);
        let of = |entity: &str, pages: &[&str]| {
            Finding::new("a/rule", Severity::Break, String::new()).entity(entity).pages(pages.iter().map(|p| (*p).to_owned()).collect())
        };
        for (finding, wanted) in [
            (of("hive", &["list"]), true),
            (of("hive", &["add", "list"]), true),
            (of("hive", &["add"]), false),
            (of("hive", &[]), true),
            (of("hive", &["list"]).field("tag"), true),
            (of("hive", &["list"]).field("colour"), false),
            (of("hive", &["list"]).role("other"), false),
            (of("hive", &["add"]).role("guest"), true),
            (of("yard", &["list"]), false),
            (of("gone", &["list"]), true),
        ] {
            assert_eq!(finding.concerns("guest", &model), wanted, "{finding:?}");
        }
    }
}
