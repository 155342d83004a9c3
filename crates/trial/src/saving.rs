//! Saves what a form says: one transaction, in which the record is read again, so that nobody's work is lost and no role gets further than
//! its rights.

use crate::form::{Mistake, Typed, held, written};
use crate::reader::{Record, Source, Trouble};
use std::collections::BTreeSet;
use ysomorph_core::definition::{Entity, Field};
use ysomorph_core::name::shown;
use ysomorph_core::refusal::Refusal;
use ysomorph_core::schema::{Kind, Operation};
use ysomorph_core::statements::{Along, Fate, Saving, Statement};
use ysomorph_sources::{ReadError, Transaction, Values};

/// What came of it.
#[derive(Debug)]
pub enum Outcome {
    /// It is saved: the record's key, where it is known.
    Saved(Vec<String>),
    /// Something is wrong with what was typed, or the database says so.
    Mistakes(Vec<Mistake>),
    /// Somebody else saved meanwhile: the record as it is now.
    Conflict(Box<Record>),
    /// Nothing is saved here: what would be sent, with its values.
    Told(Vec<(String, Vec<(String, String)>)>),
    /// There is nothing to save.
    Nothing,
    /// The database can't be asked.
    Trouble(Trouble),
}

/// Records of another table that a deletion concerns.
#[derive(Debug)]
pub struct Concerned {
    /// The table.
    pub table: String,
    /// What becomes of them.
    pub fate: Fate,
    /// How many whoever looks may see.
    pub seen: u64,
    /// Whether there are others.
    pub is_more: bool,
}

/// What is said of a record that isn't there for whoever looks.
pub const ABSENT: &str = "There is no such record, or it isn't yours to see.";

/// Most characters of a value that is told instead of saved.
const LONGEST_TOLD: usize = 240;

/// Why a transaction is given up.
pub enum Stop {
    /// What came of it instead.
    Outcome(Outcome),
    /// What the database said.
    Error(ReadError),
}

impl From<ReadError> for Stop {
    fn from(error: ReadError) -> Stop {
        Stop::Error(error)
    }
}

/// What a form is saved by.
pub struct Form<'a> {
    /// The page.
    pub source: &'a Source<'a>,
    /// What was typed.
    pub typed: &'a Typed,
    /// Whether anything is really saved.
    pub writes: bool,
    /// Whether it is a line of a file, that knows no page.
    pub is_line: bool,
}

impl Form<'_> {
    pub(crate) fn saving(&self) -> Saving<'_> {
        let source = self.source;
        if self.is_line {
            return Saving::of_entity(&source.version.model, source.entity, source.access, &source.version.known);
        }
        Saving::of_page(&source.version.model, source.entity, source.page, source.access, &source.version.known)
    }

    /// Puts what was typed in the place of what a record has, in a transaction that is under way.
    pub fn overwrite_within(&self, transaction: &mut Transaction<'_>, key: &[String]) -> Result<(), Stop> {
        let saving = self.saving();
        let given = self.typed_fields(&saving);
        let (columns, values) = self.columns_of(&saving, &given);
        self.choose(&saving, transaction, &given)?;
        let key_values = keyed(key);
        let mut all = self.own_values(&saving, transaction, Operation::Update, &key_values, &given)?;
        all.extend(values);
        all.extend(key_values);
        if let Some(update) = saving.overwrite(&columns) {
            self.run_counted(&saving, transaction, Operation::Update, &update.sql, &all)?;
        }
        self.prove(&saving, transaction, &given, &keyed(&self.key_after(&saving, &given, &keyed(key))))
    }

    /// Why a line wasn't taken, in words.
    pub fn why(&self, stop: Stop) -> String {
        match stop {
            Stop::Outcome(Outcome::Mistakes(mistakes)) => mistakes.into_iter().map(|mistake| mistake.text).collect::<Vec<_>>().join(" "),
            Stop::Outcome(_) => "It couldn't be saved.".to_owned(),
            Stop::Error(ReadError::Refused(refusal)) => self.led_back(&refusal).text,
            Stop::Error(ReadError::Lost(error)) => shown(&error.to_string()),
        }
    }

    /// A changed record.
    pub fn change(&self, key: &Values) -> Outcome {
        if key.len() != self.source.entity.key.len() {
            return Outcome::Mistakes(vec![Mistake::whole(ABSENT)]);
        }
        let saving = self.saving();
        let fields = saving.fields();
        let mistakes = self.typed.mistakes(&fields, false);
        if !mistakes.is_empty() {
            return Outcome::Mistakes(mistakes);
        }
        let changed: Vec<&Field> = fields.into_iter().filter(|field| self.typed.is_changed(&field.name)).collect();
        let links = saving.related().iter().any(|field| differs(self.typed.ticked(&field.name)));
        if changed.is_empty() && !links {
            return Outcome::Nothing;
        }
        let (columns, mut values) = self.columns_of(&saving, &changed);
        values.extend(key.clone());
        let version = self.typed.0.first("version").unwrap_or_default();
        values.insert("version".to_owned(), version.to_owned());
        values.insert("next_version".to_owned(), self.next_version(version));
        let update = saving.update(&columns);
        if !self.writes {
            values.extend(self.named(Operation::Update, key, &changed));
            return self.told(update.map(|update| (update, values)).into_iter().collect());
        }
        let Some(read) = self.source.reading().record() else { return Outcome::Nothing };
        self.within(|transaction| {
            let row = transaction.read(&read.sql, &self.all(key))?.into_iter().next();
            let Some(row) = row else {
                return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::whole(ABSENT)])));
            };
            let current = Record::of(&read.gives, row);
            if changed.iter().any(|field| held(field, &current) != self.typed.was(&field.name)) {
                return Err(Stop::Outcome(Outcome::Conflict(Box::new(current))));
            }
            self.choose(&saving, transaction, &changed)?;
            let mut given = self.own_values(&saving, transaction, Operation::Update, key, &changed)?;
            given.extend(values);
            if let Some(update) = &update {
                let is_own = self.source.entity.source.update.is_some();
                match self.run_counted(&saving, transaction, Operation::Update, &update.sql, &given) {
                    // By the generator's own statement: the version is another.
                    Err(Stop::Outcome(_)) if !is_own => return Err(Stop::Outcome(Outcome::Conflict(Box::new(current)))),
                    other => other?,
                }
            }
            let key = self.key_after(&saving, &changed, key);
            self.link(&saving, transaction, &keyed(&key))?;
            self.prove(&saving, transaction, &changed, &keyed(&key))?;
            Ok(Outcome::Saved(key))
        })
    }

    /// Many records, to all of which the same is given: wholly or not at all.
    pub fn change_many(&self) -> Outcome {
        let saving = self.saving();
        let wanted: BTreeSet<String> = self.typed.0.values("set").map(str::to_owned).collect();
        let fields: Vec<&Field> = saving.fields().into_iter().filter(|field| wanted.contains(&field.name)).collect();
        let keys: Vec<Vec<String>> = self.typed.0.values("record").map(crate::ask::values).collect();
        let mistakes = self.typed.mistakes(&fields, true);
        if !mistakes.is_empty() {
            return Outcome::Mistakes(mistakes);
        }
        if fields.is_empty() || keys.is_empty() {
            return Outcome::Mistakes(vec![Mistake::whole("Choose records, and what to change of them.")]);
        }
        let (columns, values) = self.columns_of(&saving, &fields);
        let Some(update) = saving.update(&columns) else { return Outcome::Nothing };
        if !self.writes {
            let each = keys.iter().map(|key| {
                let mut given = values.clone();
                given.extend(self.named(Operation::Update, &keyed(key), &fields));
                given.extend(keyed(key));
                (update.clone(), given)
            });
            return self.told(each.collect());
        }
        let Some(read) = self.source.reading().record() else { return Outcome::Nothing };
        self.within(|transaction| {
            self.choose(&saving, transaction, &fields)?;
            for key in &keys {
                let row = transaction.read(&read.sql, &self.all(&keyed(key)))?.into_iter().next();
                let Some(row) = row.filter(|_| key.len() == self.source.entity.key.len()) else {
                    return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::whole(ABSENT)])));
                };
                let version = Record::of(&read.gives, row).version.unwrap_or_default();
                let key_values = keyed(key);
                let mut given = self.own_values(&saving, transaction, Operation::Update, &key_values, &fields)?;
                given.extend(values.clone());
                given.extend(key_values);
                given.insert("next_version".to_owned(), self.next_version(&version));
                given.insert("version".to_owned(), version);
                self.run_counted(&saving, transaction, Operation::Update, &update.sql, &given)?;
                self.prove(&saving, transaction, &fields, &keyed(&self.key_after(&saving, &fields, &keyed(key))))?;
            }
            Ok(Outcome::Saved(Vec::new()))
        })
    }

    /// A record taken out.
    pub fn delete(&self, key: &Values) -> Outcome {
        if key.len() != self.source.entity.key.len() {
            return Outcome::Mistakes(vec![Mistake::whole(ABSENT)]);
        }
        let saving = self.saving();
        let delete = saving.delete();
        if !self.writes {
            let mut given = self.named(Operation::Delete, key, &[]);
            given.extend(key.clone());
            return self.told(vec![(delete, given)]);
        }
        self.within(|transaction| {
            let seen = transaction.read(&saving.is_seen(), &self.all(key))?;
            if !is_one(&seen) {
                return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::whole(ABSENT)])));
            }
            let mut given = self.own_values(&saving, transaction, Operation::Delete, key, &[])?;
            given.extend(key.clone());
            self.run_counted(&saving, transaction, Operation::Delete, &delete.sql, &given)?;
            Ok(Outcome::Saved(Vec::new()))
        })
    }

    /// What a deletion does to the records of other tables. Of what isn't for whoever looks to see only that it is there.
    pub fn along(&self, key: &Values) -> Vec<Concerned> {
        let count = |sql: &String| -> u64 {
            let rows = self.source.pool.read(sql, &self.all(key)).unwrap_or_default();
            count(&rows).and_then(|count| count.parse().ok()).unwrap_or_default()
        };
        let concerned = |one: &Along<'_>| {
            let all = count(&one.count);
            let seen = one.seen.as_ref().map_or(all, |counts| counts.iter().map(count).max().unwrap_or_default());
            (all > 0).then(|| Concerned { table: one.table.to_owned(), fate: one.fate, seen, is_more: seen < all })
        };
        self.saving().along().iter().filter_map(concerned).collect()
    }

    /// The columns that these fields set, each once, and their values.
    pub(crate) fn columns_of(&self, saving: &Saving<'_>, fields: &[&Field]) -> (Vec<String>, Values) {
        let (mut columns, mut values) = (Vec::new(), Values::new());
        let mut seen = BTreeSet::new();
        for field in fields {
            let typed = self.typed.value(&field.name).unwrap_or_default();
            for (column, value) in saving.columns(field).into_iter().zip(written(field, typed)) {
                if !seen.insert(ysomorph_core::name::fold(&column)) {
                    continue;
                }
                columns.push(column);
                if let Some(value) = value {
                    values.insert(format!("value_{}", columns.len()), value);
                }
            }
        }
        (columns, values)
    }

    /// The parameters of a statement: what whoever looks may ask about, and what is given.
    pub fn all(&self, given: &Values) -> Values {
        let mut all = self.source.viewer.values.clone();
        all.extend(given.iter().map(|(name, value)| (name.clone(), value.clone())));
        for (at, key) in self.source.entity.key.iter().enumerate() {
            if let Some(value) = given.get(&format!("key_{}", at + 1)) {
                all.insert(format!("key_{}", key.value), value.clone());
            }
        }
        all
    }

    /// The key of a record whose key's own columns may have been changed.
    pub(crate) fn key_after(&self, saving: &Saving<'_>, changed: &[&Field], key: &Values) -> Vec<String> {
        let entity: &Entity = self.source.entity;
        let given = |column: &str| {
            let field = changed.iter().find(|field| saving.columns(field).iter().any(|own| own == column))?;
            let at = saving.columns(field).iter().position(|own| own == column)?;
            written(field, self.typed.value(&field.name)?).into_iter().nth(at)?
        };
        let was = |at: usize| key.get(&format!("key_{}", at + 1)).cloned().unwrap_or_default();
        entity.key.iter().enumerate().map(|(at, column)| given(&column.value).unwrap_or_else(|| was(at))).collect()
    }

    /// What tells from now on that the record was changed.
    fn next_version(&self, version: &str) -> String {
        if let Ok(number) = version.parse::<i64>() {
            return number.wrapping_add(1).to_string();
        }
        let known = &self.source.version.known;
        let column = self.source.entity.version.as_ref().and_then(|v| known.column(&self.source.entity.table.value, &v.value));
        match column.map(|column| column.column_type.kind) {
            Some(Kind::Integer) => "1".to_owned(),
            _ => self.source.viewer.values.get("now").cloned().unwrap_or_default(),
        }
    }

    /// Refuses what isn't offered to whoever looks: of lookups, and of related sets that get more.
    pub(crate) fn choose(&self, saving: &Saving<'_>, transaction: &mut Transaction<'_>, fields: &[&Field]) -> Result<(), Stop> {
        let lookups = fields.iter().filter(|field| field.lookup.is_some());
        let mut chosen: Vec<(&Field, String)> = lookups
            .filter_map(|field| Some((*field, self.typed.value(&field.name).filter(|typed| !typed.is_empty())?.to_owned())))
            .collect();
        for field in saving.related() {
            let (now, was) = self.typed.ticked(&field.name);
            chosen.extend(now.into_iter().filter(|other| !was.contains(other)).map(|other| (field, other)));
        }
        for (field, choice) in chosen {
            let values =
                crate::ask::values(&choice).into_iter().enumerate().map(|(at, value)| (format!("value_{}", at + 1), value)).collect();
            let is_offered = match self.source.reading().offered(field) {
                Some(statement) => !transaction.read(&statement.sql, &self.all(&values))?.is_empty(),
                None => false,
            };
            if !is_offered {
                return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::of(field, "Choose one of those that are offered.")])));
            }
        }
        Ok(())
    }

    /// Makes and takes away the links of related sets.
    pub(crate) fn link(&self, saving: &Saving<'_>, transaction: &mut Transaction<'_>, key: &Values) -> Result<(), Stop> {
        for field in saving.related() {
            let (now, was) = self.typed.ticked(&field.name);
            let change = |other: &str, is_made: bool| {
                let mut values = key.clone();
                values.extend(crate::ask::values(other).into_iter().enumerate().map(|(at, value)| (format!("value_{}", at + 1), value)));
                Some((saving.link(field, is_made)?, values))
            };
            let made = now.iter().filter(|other| !was.contains(other)).filter_map(|other| change(other, true));
            let gone = was.iter().filter(|other| !now.contains(other)).filter_map(|other| change(other, false));
            for (statement, values) in made.chain(gone) {
                transaction.run(&statement.sql, &self.all(&values))?;
            }
        }
        Ok(())
    }

    /// What has to hold before the transaction ends: every validation, that no other record has what only one may have, and that the
    /// record is one that the role sees.
    pub(crate) fn prove(&self, saving: &Saving<'_>, transaction: &mut Transaction<'_>, given: &[&Field], key: &Values) -> Result<(), Stop> {
        let mut mistakes = Vec::new();
        for field in given {
            let Some(sql) = self.source.entity.field(&field.name).and_then(|field| saving.alike(field)) else { continue };
            if !matches!(count(&transaction.read(&sql, &self.all(key))?), Some("0" | "1")) {
                mistakes.push(Mistake::of(field, "Another record has this already."));
            }
        }
        for (name, sql) in saving.checks() {
            if !is_none(&transaction.read(&sql, &self.all(key))?) {
                let check = self.source.entity.checks.iter().find(|check| check.name == name);
                let message = check.and_then(|check| check.message.clone());
                mistakes.push(Mistake::whole(message.map_or_else(|| format!("The rule {} doesn't hold.", shown(name)), |m| shown(&m))));
            }
        }
        if mistakes.is_empty() && !is_one(&transaction.read(&saving.is_seen(), &self.all(key))?) {
            mistakes.push(Mistake::whole("So it would be a record that isn't yours to see."));
        }
        if mistakes.is_empty() { Ok(()) } else { Err(Stop::Outcome(Outcome::Mistakes(mistakes))) }
    }

    pub(crate) fn within(&self, work: impl FnOnce(&mut Transaction<'_>) -> Result<Outcome, Stop>) -> Outcome {
        let done = self.source.pool.writer().map_err(|e| Stop::Error(ReadError::Lost(e))).and_then(|mut writer| writer.save(work));
        match done {
            Ok(outcome) | Err(Stop::Outcome(outcome)) => outcome,
            Err(Stop::Error(ReadError::Refused(refusal))) => Outcome::Mistakes(vec![self.led_back(&refusal)]),
            Err(Stop::Error(ReadError::Lost(error))) => Outcome::Trouble(Trouble::Lost(shown(&error.to_string()))),
        }
    }

    /// What the database refuses, led back to the field whose column it names.
    fn led_back(&self, refusal: &Refusal) -> Mistake {
        let named = refusal.names().to_lowercase();
        let words: BTreeSet<&str> = named.split(|c: char| !(c.is_alphanumeric() || c == '_')).collect();
        let saving = self.saving();
        let found = |column: &String| {
            let column = column.to_lowercase();
            // As a word, or as a part of a constraint's name.
            (words.contains(column.as_str()), named.contains(&format!("_{column}")) || named.contains(&format!("{column}_")))
        };
        let is_of = |field: &&Field, is_whole: bool| {
            let columns = saving.columns(field);
            !columns.is_empty() && columns.iter().map(found).all(|(whole, part)| if is_whole { whole } else { part })
        };
        let fields = saving.fields();
        let field = fields.iter().find(|field| is_of(field, true)).or_else(|| fields.iter().find(|field| is_of(field, false)));
        Mistake { field: field.map(|field| field.name.clone()), text: refusal.in_words(self.source.sees_all()) }
    }

    /// What would be sent, where nothing is saved.
    pub(crate) fn told(&self, statements: Vec<(Statement, Values)>) -> Outcome {
        let engine = self.source.version.known.engine;
        let tell = |(statement, values): (Statement, Values)| {
            let all = self.all(&values);
            let names = ysomorph_core::sql::parameters(&statement.sql, engine);
            let value = |name: &String| all.get(name).map_or_else(|| "NULL".to_owned(), |value| in_short(value));
            let given: Vec<(String, String)> = names.into_iter().map(|(_, name)| (name.clone(), value(&name))).collect();
            (statement.sql, given)
        };
        Outcome::Told(statements.into_iter().map(tell).collect())
    }
}

/// A value as it is told: of a long one, such as a picture's, the beginning.
fn in_short(value: &str) -> String {
    let length = value.chars().count();
    if length <= LONGEST_TOLD {
        return value.to_owned();
    }
    let start: String = value.chars().take(LONGEST_TOLD / 4).collect();
    format!("{start}… ({length} characters)")
}

fn differs((now, was): (Vec<String>, Vec<String>)) -> bool {
    now.iter().collect::<BTreeSet<_>>() != was.iter().collect::<BTreeSet<_>>()
}

/// A key as the parameters of a statement.
pub fn keyed(key: &[String]) -> Values {
    key.iter().enumerate().map(|(at, value)| (format!("key_{}", at + 1), value.clone())).collect()
}

fn count(rows: &[Vec<Option<String>>]) -> Option<&str> {
    rows.first()?.first()?.as_deref()
}

fn is_none(rows: &[Vec<Option<String>>]) -> bool {
    count(rows) == Some("0")
}

fn is_one(rows: &[Vec<Option<String>>]) -> bool {
    count(rows).is_some_and(|count| count != "0")
}
