//! Reads what a page shows, with the rights of whoever looks.

use crate::bytes::from_hex;
use crate::pool::Pool;
use crate::site::Version;
use std::collections::BTreeMap;
use ysomorph_core::definition::{Access, Child, Entity, Export, Field, Page};
use ysomorph_core::name::shown;
use ysomorph_core::sql::parameters;
use ysomorph_core::statements::{Gives, Narrowing, Reading, Statement};
use ysomorph_sources::{ReadError, Values};

/// Records are counted no further.
pub const MOST_COUNTED: u32 = 10_000;
/// Most records of a child list, and most choices that are shown at once.
pub const MOST_BESIDE: u32 = 200;

/// Whoever looks: a role, and values for what SQL may name.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Viewer {
    /// The role; absent where there are none.
    pub role: Option<String>,
    /// Values by the names of parameters.
    pub values: Values,
}

/// What a page of somebody reads from.
#[derive(Clone, Copy)]
pub struct Source<'a> {
    /// The definition.
    pub version: &'a Version,
    /// The entity.
    pub entity: &'a Entity,
    /// The page.
    pub page: &'a Page,
    /// What the role may do.
    pub access: Option<&'a Access>,
    /// Whoever looks.
    pub viewer: &'a Viewer,
    /// The database.
    pub pool: &'a Pool,
}

/// A record as it was read: what each column gives, all of it text.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Record {
    /// What tells it from others.
    pub key: Vec<String>,
    /// What a linked record belongs to.
    pub owner: Vec<String>,
    /// What tells whether it was changed meanwhile.
    pub version: Option<String>,
    /// How it is called.
    pub title: Option<String>,
    /// The values of fields.
    pub values: BTreeMap<String, Vec<Option<String>>>,
    /// What people read of fields that point elsewhere.
    pub texts: BTreeMap<String, Option<String>>,
    /// How many there are, of a group.
    pub count: Option<String>,
    /// The totals of fields, of a group.
    pub totals: BTreeMap<String, Option<String>>,
}

/// Why records can't be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// Why the database refuses it, in a sentence.
    Refused(String),
    /// The database can't be asked.
    Lost(String),
    /// No value is given for a parameter.
    Missing(String),
}

impl std::fmt::Display for Trouble {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Trouble::Refused(message) => f.write_str(message),
            Trouble::Lost(message) => write!(f, "The database can't be asked: {message}"),
            Trouble::Missing(name) => write!(f, "There is no value for :{}.", shown(name)),
        }
    }
}

/// Records, or as many as can be read.
#[derive(Debug, Default)]
pub struct Found {
    /// The records.
    pub records: Vec<Record>,
    /// Fields that had to be left out.
    pub without: Vec<String>,
    /// What hinders.
    pub trouble: Option<Trouble>,
}

impl Record {
    /// A row as the record it is.
    pub fn of(gives: &[Gives], row: Vec<Option<String>>) -> Record {
        let mut record = Record::default();
        for (gives, value) in gives.iter().zip(row) {
            match gives {
                Gives::Key => record.key.push(value.unwrap_or_default()),
                Gives::Owner => record.owner.push(value.unwrap_or_default()),
                Gives::Version => record.version = value,
                Gives::Title => record.title = value,
                Gives::Value(field) => record.values.entry(field.clone()).or_default().push(value),
                Gives::Text(field) => {
                    record.texts.insert(field.clone(), value);
                }
                Gives::Count => record.count = value,
                Gives::Total(field) => {
                    record.totals.insert(field.clone(), value);
                }
            }
        }
        record
    }

    /// What people read of a field: its text where it points elsewhere, else its own value.
    pub fn text(&self, field: &str) -> Option<&str> {
        match self.texts.get(field) {
            Some(text) => text.as_deref(),
            None => self.values.get(field)?.first()?.as_deref(),
        }
    }
}

impl<'a> Source<'a> {
    /// What it reads.
    pub fn reading(&self) -> Reading<'a> {
        Reading::of_page(&self.version.model, self.entity, self.page, self.access, &self.version.known)
    }

    /// Whether whoever looks may see every field of every record of the entity: then nothing that the database quotes is kept from them.
    pub fn sees_all(&self) -> bool {
        let is_kept_back = |field: &Field| field.hidden || crate::form::is_masked(field);
        self.access.is_none_or(|access| access.hide.is_empty() && access.rows.is_none()) && !self.entity.fields.iter().any(is_kept_back)
    }

    /// A page of records; without the fields that the database hasn't got, where it refuses the whole.
    pub fn rows(&self, narrowing: &Narrowing, broken: &[String]) -> Found {
        self.attempts(broken, &|reading| {
            let asked = reading.rows(narrowing);
            (Some(asked.statement), asked.values)
        })
    }

    /// The groups of a page.
    pub fn groups(&self, narrowing: &Narrowing, broken: &[String]) -> Found {
        self.attempts(broken, &|reading| match reading.groups(narrowing) {
            Some(asked) => (Some(asked.statement), asked.values),
            None => (None, Values::new()),
        })
    }

    /// One record.
    pub fn record(&self, key: &Values, broken: &[String]) -> Found {
        self.attempts(broken, &|reading| (reading.record(), key.clone()))
    }

    /// The records of an export.
    pub fn export(&self, export: &Export, most: u32) -> Found {
        self.one(&self.reading().export(export, most), &Values::new())
    }

    /// How many records there are, counted to a limit; nothing where that can't be told.
    pub fn count(&self, narrowing: &Narrowing) -> Option<u32> {
        let asked = self.reading().count(narrowing, MOST_COUNTED + 1);
        let rows = self.read(&asked.statement, &asked.values).ok()?;
        rows.first()?.first()?.as_deref()?.parse().ok()
    }

    /// The records of a child list of a record; nothing where the role may not read them.
    pub fn children(&self, child: &Child, key: &Values) -> Option<Found> {
        let statement = self.reading().children(child, MOST_BESIDE + 1)?;
        Some(self.one(&statement, key))
    }

    /// What a related set links to each of these records.
    pub fn related(&self, field: &Field, owners: &[&Record]) -> Option<Found> {
        let statement = self.reading().related(field, owners.len())?;
        let mut values = Values::new();
        for (owner, record) in owners.iter().enumerate() {
            for (part, value) in record.key.iter().enumerate() {
                values.insert(format!("owner_{}_{}", owner + 1, part + 1), value.clone());
            }
        }
        Some(self.one(&statement, &values))
    }

    /// What can be chosen for a field.
    pub fn choices(&self, field: &Field, search: Option<&str>) -> Option<Found> {
        let statement = self.reading().choices(field, search.is_some(), MOST_BESIDE + 1)?;
        let values = search.map(|text| ("search".to_owned(), ysomorph_core::statements::containing(text))).into_iter().collect();
        Some(self.one(&statement, &values))
    }

    /// The record of a key, where it is one of those that can be chosen for a field.
    pub fn choice(&self, field: &Field, key: &[String]) -> Option<Record> {
        let statement = self.reading().offered(field)?;
        let values = key.iter().enumerate().map(|(at, value)| (format!("value_{}", at + 1), value.clone())).collect();
        self.one(&statement, &values).records.into_iter().next()
    }

    /// The bytes of a picture or file of a record.
    pub fn bytes(&self, field: &str, key: &Values) -> Option<Vec<u8>> {
        let statement = self.reading().bytes(field)?;
        let hex = self.read(&statement, key).ok()?.into_iter().next()?.into_iter().next()??;
        from_hex(&hex)
    }

    fn one(&self, statement: &Statement, values: &Values) -> Found {
        match self.read(statement, values) {
            Ok(rows) => Found { records: rows.into_iter().map(|row| Record::of(&statement.gives, row)).collect(), ..Found::default() },
            Err(trouble) => Found { trouble: Some(trouble), ..Found::default() },
        }
    }

    /// Reads with everything, and where the database refuses that without what is broken.
    fn attempts(&self, broken: &[String], make: &dyn Fn(Reading<'_>) -> (Option<Statement>, Values)) -> Found {
        let attempt = |without: &[String]| {
            let (statement, values) = make(self.reading().without(without));
            statement.map_or_else(Found::default, |statement| self.one(&statement, &values))
        };
        let first = attempt(&[]);
        if broken.is_empty() || !matches!(first.trouble, Some(Trouble::Refused(_))) {
            return first;
        }
        let second = attempt(broken);
        match second.trouble {
            Some(_) => first,
            // What the database said is worth knowing all the same.
            None => Found { records: second.records, without: broken.to_vec(), trouble: first.trouble },
        }
    }

    fn read(&self, statement: &Statement, values: &Values) -> Result<Vec<Vec<Option<String>>>, Trouble> {
        let mut all = self.viewer.values.clone();
        // What the page asks by is never somebody's parameter.
        all.extend(values.iter().map(|(name, value)| (name.clone(), value.clone())));
        let names = parameters(&statement.sql, self.version.known.engine);
        let is_missing = |name: &String| !all.contains_key(name) && !name.starts_with("group_");
        if let Some((_, name)) = names.iter().find(|(_, name)| is_missing(name)) {
            return Err(Trouble::Missing(name.clone()));
        }
        self.pool.read(&statement.sql, &all).map_err(|error| match error {
            ReadError::Refused(refusal) => Trouble::Refused(refusal.in_words(self.sees_all())),
            ReadError::Lost(lost) => Trouble::Lost(shown(&lost.to_string())),
        })
    }
}
