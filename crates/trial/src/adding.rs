//! Saves a new record, and finds out which one it is: only then can anything be proved of it.

use crate::form::Mistake;
use crate::saving::{Form, Outcome, Stop, keyed};
use ysomorph_core::definition::Field;
use ysomorph_core::schema::Operation;
use ysomorph_core::statements::{Made, Saving};
use ysomorph_sources::{ReadError, Transaction, Values};

/// What is said where nobody could tell whether a new record is right.
const UNKNOWN: &str =
    "The database doesn't tell which record it made, so nothing could prove that it is one of yours: give what tells it apart.";

impl Form<'_> {
    /// A new record.
    pub fn add(&self) -> Outcome {
        let saving = self.saving();
        let fields = saving.fields();
        let mistakes = self.typed.mistakes(&fields, true);
        if !mistakes.is_empty() {
            return Outcome::Mistakes(mistakes);
        }
        if !self.writes {
            let given = self.typed_fields(&saving);
            let (columns, mut values) = self.columns_of(&saving, &given);
            let insert = saving.insert(&columns, &with_values(&columns, &values)).0;
            values.extend(self.named(Operation::Insert, &Values::new(), &given));
            return self.told(vec![(insert, values)]);
        }
        self.within(|transaction| self.insert_within(transaction).map(Outcome::Saved))
    }

    /// The fields that were typed.
    pub(crate) fn typed_fields<'s>(&self, saving: &Saving<'s>) -> Vec<&'s Field> {
        saving.fields().into_iter().filter(|field| self.typed.value(&field.name).is_some()).collect()
    }

    /// A new record in a transaction that is under way; gives its key, where it is known.
    pub fn insert_within(&self, transaction: &mut Transaction<'_>) -> Result<Vec<String>, Stop> {
        let saving = self.saving();
        let given = self.typed_fields(&saving);
        let (columns, values) = self.columns_of(&saving, &given);
        let (insert, made) = saving.insert(&columns, &with_values(&columns, &values));
        if made == Made::Unknown && saving.has_to_be_proved() {
            return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::whole(UNKNOWN)])));
        }
        self.choose(&saving, transaction, &given)?;
        if self.source.entity.source.insert.is_some() {
            let own = self.named(Operation::Insert, &Values::new(), &given);
            self.run_counted(&saving, transaction, Operation::Insert, &insert.sql, &own)?;
            return Ok(Vec::new());
        }
        let typed = self.key_after(&saving, &given, &Values::new());
        let key = insert_and_tell(transaction, &insert.sql, &self.all(&values), &made, typed)?;
        if !key.is_empty() {
            self.link(&saving, transaction, &keyed(&key))?;
            self.prove(&saving, transaction, &given, &keyed(&key))?;
        }
        Ok(key)
    }
}

/// Those of the columns that aren't left empty.
fn with_values(columns: &[String], values: &Values) -> Vec<String> {
    let is_given = |at: usize| values.contains_key(&format!("value_{}", at + 1));
    columns.iter().enumerate().filter(|(at, _)| is_given(*at)).map(|(_, column)| column.clone()).collect()
}

/// Inserts a record and tells what was made: of what was typed, with what is missing there; nothing where nothing tells it.
pub fn insert_and_tell(
    transaction: &mut Transaction<'_>,
    sql: &str,
    values: &Values,
    made: &Made,
    typed: Vec<String>,
) -> Result<Vec<String>, ReadError> {
    let told = |rows: ysomorph_sources::Records| -> Vec<String> {
        rows.into_iter().next().unwrap_or_default().into_iter().map(Option::unwrap_or_default).collect()
    };
    if *made == Made::Returned {
        return Ok(told(transaction.read(sql, values)?));
    }
    transaction.run(sql, values)?;
    Ok(match made {
        Made::Numbered(asked) => {
            let number = told(transaction.read(asked, &Values::new())?).concat();
            typed.into_iter().map(|value| if value.is_empty() { number.clone() } else { value }).collect()
        }
        Made::Given => typed,
        Made::Returned | Made::Unknown => Vec::new(),
    })
}
