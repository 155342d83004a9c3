//! Takes records from a file: its columns are matched to fields, every line is looked at before anything is saved, and what can't be taken is
//! skipped with its reason.

use crate::adding::insert_and_tell;
use crate::ask::{Query, as_one};
use crate::form::{Mistake, Typed, with_point};
use crate::limits::wrong;
use crate::reader::{Source, Trouble};
use crate::saving::{Form, Stop};
use crate::sheet::Sheet;
use std::collections::BTreeMap;
use ysomorph_core::definition::{Field, Import, Spanned};
use ysomorph_core::draft::choice_label;
use ysomorph_core::name::{fold, same, shown};
use ysomorph_core::statements::{Importing, Made, Saving};
use ysomorph_sources::{ReadError, Records, Transaction, Values};

/// What becomes of a line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fate {
    /// A new record.
    New,
    /// A record that is there gets other values.
    Changes,
    /// Why nothing becomes of it.
    Skipped(String),
}

/// A line of the file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// Its number in the file, from 1.
    pub number: usize,
    /// Its cells, of the columns that are taken.
    pub cells: Vec<String>,
    /// What becomes of it.
    pub fate: Fate,
}

/// How the columns of a sheet are taken.
pub struct Plan<'a> {
    source: &'a Source<'a>,
    import: Import,
    /// A column of the sheet, and the field that it is for.
    pub columns: Vec<(usize, &'a Field)>,
    has_heading: bool,
}

/// A line that can be saved.
struct Ready {
    typed: Typed,
    key: Option<Vec<String>>,
    /// Lookups whose record has to be made first: the field, and what it is called.
    missing: Vec<(String, String)>,
}

/// How the database is asked: before anything is saved, or within the transaction.
type Ask<'k> = dyn FnMut(&str, &Values) -> Result<Records, ReadError> + 'k;

/// The fields that whoever looks may give a new record.
pub fn fields<'a>(source: &Source<'a>) -> Vec<&'a Field> {
    let saving = Saving::of_entity(&source.version.model, source.entity, source.access, &source.version.known);
    saving.fields().into_iter().filter(|field| !["image", "file", "password"].contains(&field.kind.as_str())).collect()
}

/// The field that a heading is for: by the import of the definition, else by its label or name.
pub fn guessed<'a>(import: Option<&Import>, fields: &[&'a Field], label: &dyn Fn(&Field) -> String, heading: &str) -> Option<&'a Field> {
    let named = import.and_then(|import| import.columns.iter().find(|(own, _)| same(own, heading))).map(|(_, field)| field.value.as_str());
    fields.iter().copied().find(|f| named == Some(f.name.as_str())).or_else(|| {
        let is_called = |field: &&&Field| fold(&label(field)) == fold(heading) || fold(&field.name) == fold(heading);
        fields.iter().find(is_called).copied()
    })
}

impl<'a> Plan<'a> {
    /// As the definition's import says, or as whoever looks chose: the field of each column by its number.
    pub fn new(source: &'a Source<'a>, import: Option<&Import>, chosen: &[(usize, String)], has_heading: bool) -> Plan<'a> {
        let all = fields(source);
        let columns: Vec<(usize, &Field)> =
            chosen.iter().filter_map(|(at, name)| Some((*at, *all.iter().find(|field| field.name == *name)?))).collect();
        let spanned = |value: &str| Spanned { value: value.to_owned(), place: source.entity.place.clone(), quote: 0 };
        let import = Import {
            name: import.map(|import| import.name.clone()).unwrap_or_default(),
            place: source.entity.place.clone(),
            key: import.map(|import| import.key.clone()).unwrap_or_default(),
            columns: columns.iter().map(|(_, field)| (String::new(), spanned(&field.name))).collect(),
            create_missing: import.map(|import| import.create_missing.clone()).unwrap_or_default(),
        };
        Plan { source, import, columns, has_heading }
    }

    fn importing(&self) -> Importing<'_> {
        let source = self.source;
        Importing::of_entity(&source.version.model, source.entity, &self.import, source.access, &source.version.known)
    }

    /// The lines of a sheet with their numbers.
    fn lines<'s>(&self, sheet: &'s Sheet) -> impl Iterator<Item = (usize, &'s Vec<String>)> + use<'s> {
        let skipped = usize::from(self.has_heading);
        sheet
            .rows
            .iter()
            .enumerate()
            .skip(skipped)
            .map(|(at, row)| (at + 1, row))
            .filter(|(_, row)| row.iter().any(|cell| !cell.is_empty()))
    }

    fn cells(&self, row: &[String]) -> Vec<String> {
        self.columns.iter().map(|(at, _)| row.get(*at).cloned().unwrap_or_default()).collect()
    }

    /// What would become of the lines, as far as can be told without saving; at most so many.
    pub fn preview(&self, sheet: &Sheet, most: usize) -> Result<Vec<Line>, Trouble> {
        let mut seen = BTreeMap::new();
        let mut lines = Vec::new();
        for (number, row) in self.lines(sheet).take(most) {
            let mut ask = |sql: &str, values: &Values| self.source.pool.read(sql, values);
            let fate = match self.ready(&mut ask, &mut seen, number, row) {
                Ok(ready) => {
                    if ready.key.is_some() {
                        Fate::Changes
                    } else {
                        Fate::New
                    }
                }
                Err(Stop::Error(ReadError::Lost(error))) => return Err(Trouble::Lost(shown(&error.to_string()))),
                Err(stop) => Fate::Skipped(self.form(&Typed::default()).why(stop)),
            };
            lines.push(Line { number, cells: self.cells(row), fate });
        }
        Ok(lines)
    }

    /// Takes all lines, in one transaction; what can't be taken is skipped.
    pub fn run(&self, sheet: &Sheet) -> Result<Vec<Line>, Trouble> {
        let lost = |error: &dyn std::fmt::Display| Trouble::Lost(shown(&error.to_string()));
        let mut writer = self.source.pool.writer().map_err(|e| lost(&e))?;
        let mut seen = BTreeMap::new();
        let done = writer.save(|transaction| -> Result<Vec<Line>, ReadError> {
            let mut lines = Vec::new();
            for (number, row) in self.lines(sheet) {
                let fate = match transaction.apart(|transaction| self.take(transaction, &mut seen, number, row)) {
                    Ok(fate) => fate,
                    Err(Stop::Error(ReadError::Lost(error))) => return Err(ReadError::Lost(error)),
                    Err(stop) => Fate::Skipped(self.form(&Typed::default()).why(stop)),
                };
                lines.push(Line { number, cells: self.cells(row), fate });
            }
            Ok(lines)
        });
        done.map_err(|error| match error {
            ReadError::Refused(refusal) => Trouble::Refused(refusal.in_words(self.source.sees_all())),
            ReadError::Lost(error) => lost(&error),
        })
    }

    fn take(
        &self,
        transaction: &mut Transaction<'_>,
        seen: &mut BTreeMap<Vec<String>, usize>,
        number: usize,
        row: &[String],
    ) -> Result<Fate, Stop> {
        let mut ready = self.ready(&mut |sql, values| transaction.read(sql, values), seen, number, row)?;
        for (name, text) in std::mem::take(&mut ready.missing) {
            let made = self.source.entity.field(&name).and_then(|field| self.importing().creating(field));
            let Some(made) = made else { continue };
            // It is made of the columns that it is shown by: with one of them the text is that.
            let typed = vec![if matches!(made.made, Made::Given) { text.clone() } else { String::new() }];
            let values = self.form(&ready.typed).all(&Values::from([("value_1".to_owned(), text)]));
            let value = insert_and_tell(transaction, &made.sql, &values, &made.made, typed)?;
            ready.typed = Typed(ready.typed.0.with(&format!("field.{name}"), Some(&as_one(&value))));
        }
        match &ready.key {
            Some(key) => self.form(&ready.typed).overwrite_within(transaction, key).map(|()| Fate::Changes),
            None => self.form(&ready.typed).insert_within(transaction).map(|_| Fate::New),
        }
    }

    fn form<'f>(&'f self, typed: &'f Typed) -> Form<'f> {
        Form { source: self.source, typed, writes: true, is_line: true }
    }

    /// A line's values as a form has them, and the record that it is about.
    fn ready(&self, ask: &mut Ask<'_>, seen: &mut BTreeMap<Vec<String>, usize>, number: usize, row: &[String]) -> Result<Ready, Stop> {
        let refused = |text: String| Stop::Outcome(crate::saving::Outcome::Mistakes(vec![Mistake::whole(text)]));
        let mut form: Vec<(String, String)> = Vec::new();
        let mut missing = Vec::new();
        for (at, field) in &self.columns {
            let text = row.get(*at).map_or("", |cell| cell.trim());
            let value = if field.lookup.is_some() && !text.is_empty() {
                match self.found(ask, field, text)? {
                    Some(value) => value,
                    None if self.importing().creating(field).is_some() => {
                        missing.push((field.name.clone(), text.to_owned()));
                        continue;
                    }
                    None => return Err(refused(format!("{}: no record is called {text}.", self.label(field)))),
                }
            } else {
                let value = typed(field, text);
                if let Some(wrong) = wrong(field, &value) {
                    return Err(refused(format!("{}: {wrong}", self.label(field))));
                }
                value
            };
            form.push((format!("field.{}", field.name), value));
        }
        let typed = Typed(Query::of(form));
        let key = self.matched(ask, &typed, seen, number)?;
        if key.is_none() {
            let given = |field: &&Field| self.columns.iter().any(|(_, own)| own.name == field.name);
            let needed = fields(self.source).into_iter().find(|field| field.required && field.default.is_none() && !given(field));
            if let Some(field) = needed {
                return Err(refused(format!("{}: a value is needed, and the file has no column for it.", self.label(field))));
            }
        }
        Ok(Ready { typed, key, missing })
    }

    fn label(&self, field: &Field) -> String {
        self.source.version.drawing(&self.source.entity.name, None).label(self.source.entity, field)
    }

    /// The value of a lookup whose record is called so.
    fn found(&self, ask: &mut Ask<'_>, field: &Field, text: &str) -> Result<Option<String>, Stop> {
        let Some(statement) = self.source.entity.field(&field.name).and_then(|field| self.importing().finding(field)) else {
            return Ok(None);
        };
        let values = self.form(&Typed::default()).all(&Values::from([("text".to_owned(), text.to_owned())]));
        let rows = ask(&statement.sql, &values)?;
        match rows.as_slice() {
            [] => Ok(None),
            [row] => Ok(Some(as_one(&row.iter().map(|value| value.clone().unwrap_or_default()).collect::<Vec<_>>()))),
            _ => Err(Stop::Outcome(crate::saving::Outcome::Mistakes(vec![Mistake::of(
                field,
                format!("Several records are called {text}."),
            )]))),
        }
    }

    /// The key of the record that a line is about; nothing where it is a new one.
    fn matched(
        &self,
        ask: &mut Ask<'_>,
        typed: &Typed,
        seen: &mut BTreeMap<Vec<String>, usize>,
        number: usize,
    ) -> Result<Option<Vec<String>>, Stop> {
        let refused = |text: String| Stop::Outcome(crate::saving::Outcome::Mistakes(vec![Mistake::whole(text)]));
        let importing = self.importing();
        let Some(statement) = importing.matching() else { return Ok(None) };
        let mut values = Vec::new();
        for key in &self.import.key {
            let field = self.columns.iter().map(|(_, field)| field).find(|field| field.columns.iter().any(|c| same(&c.value, &key.value)));
            let value = field.and_then(|field| typed.value(&field.name)).filter(|value| !value.is_empty());
            match value {
                Some(value) => values.push(value.to_owned()),
                None => return Err(refused(format!("records are told apart by {}, which isn't given", shown(&key.value)))),
            }
        }
        if let Some(first) = seen.get(&values) {
            return Err(refused(format!("it is the same record as line {first}")));
        }
        seen.insert(values.clone(), number);
        let given = values.into_iter().enumerate().map(|(at, value)| (format!("value_{}", at + 1), value)).collect();
        let rows = ask(&statement.sql, &self.form(&Typed::default()).all(&given))?;
        match rows.as_slice() {
            [] => Ok(None),
            [row] if self.source.access.is_none_or(|access| access.edit) => {
                Ok(Some(row.iter().take(self.source.entity.key.len()).map(|value| value.clone().unwrap_or_default()).collect()))
            }
            [_] => Err(refused("it is there already, and isn't yours to change".to_owned())),
            _ => Err(refused("several records are alike in what tells them apart".to_owned())),
        }
    }
}

/// A text of a file as a form's control would have it.
fn typed(field: &Field, text: &str) -> String {
    if let Some(choice) = field.choices.iter().find(|choice| {
        let label = choice.label.clone().unwrap_or_else(|| choice_label(&choice.value.value));
        fold(&choice.value.value) == fold(text) || fold(&label) == fold(text)
    }) {
        return choice.value.value.clone();
    }
    match field.kind.as_str() {
        "boolean" => match fold(text).as_str() {
            "yes" | "true" | "1" | "x" => "1".to_owned(),
            "no" | "false" | "0" => "0".to_owned(),
            _ => text.to_owned(),
        },
        "date" => day(text).unwrap_or_else(|| text.to_owned()),
        _ => with_point(field, text).into_owned(),
    }
}

/// `31.5.2026` is a day wherever it is written.
fn day(text: &str) -> Option<String> {
    let parts: Vec<&str> = text.split('.').collect();
    let [day, month, year] = parts.as_slice() else { return None };
    let date = jiff::civil::Date::new(year.parse().ok()?, month.parse().ok()?, day.parse().ok()?).ok()?;
    (year.len() == 4).then(|| date.to_string())
}

#[cfg(test)]
mod tests {
    use super::day;

    #[test]
    fn a_day_is_read_where_it_can_be_read_in_one_way() {
        for (text, wanted) in [
            ("31.5.2026", Some("2026-05-31")),
            ("01.02.2026", Some("2026-02-01")),
            ("31.2.2026", None),
            ("1.2.26", None),
            ("5/31/2026", None),
            ("2026-05-31", None),
        ] {
            assert_eq!(day(text).as_deref(), wanted, "{text}");
        }
    }
}
