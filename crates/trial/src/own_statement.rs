//! What a person's own statement is given, and whether it touched a record.

use crate::form::{Mistake, written};
use crate::reader::Record;
use crate::saving::{Form, Outcome, Stop};
use ysomorph_core::definition::Field;
use ysomorph_core::name::same;
use ysomorph_core::schema::Operation;
use ysomorph_core::statements::Saving;
use ysomorph_sources::{Transaction, Values};

/// What is said where a statement did nothing.
const UNTOUCHED: &str = "The statement touched no record, so nothing was saved.";

impl Form<'_> {
    /// What a person's own statement is given besides: a value for each field by its name. What isn't given anew is as the record has it.
    /// Nothing where the generator's statement writes: names of fields may be those of parameters too.
    pub(crate) fn own_values(
        &self,
        saving: &Saving<'_>,
        transaction: &mut Transaction<'_>,
        operation: Operation,
        key: &Values,
        given: &[&Field],
    ) -> Result<Values, Stop> {
        let mut all = Values::new();
        if let Some(read) = saving.named_values(operation) {
            let row = transaction.read(&read.sql, &self.all(key))?.into_iter().next().unwrap_or_default();
            let record = Record::of(&read.gives, row);
            all.extend(record.values.into_iter().filter_map(|(name, value)| Some((name, value.into_iter().next()??))));
        }
        all.retain(|name, _| !given.iter().any(|field| field.name == *name));
        all.extend(self.named(operation, key, given));
        Ok(all)
    }

    /// The values that a form gives to a person's own statement by the names of fields: those of the key, and those that were typed.
    pub(crate) fn named(&self, operation: Operation, key: &Values, given: &[&Field]) -> Values {
        let entity = self.source.entity;
        if entity.source.own_write(operation).is_none() {
            return Values::new();
        }
        let mut all = Values::new();
        for (at, column) in entity.key.iter().enumerate() {
            let is_of = |field: &&Field| matches!(field.columns.as_slice(), [own] if same(&own.value, &column.value));
            if let (Some(field), Some(value)) = (entity.fields.iter().find(is_of), key.get(&format!("key_{}", at + 1))) {
                all.insert(field.name.clone(), value.clone());
            }
        }
        for field in given {
            all.remove(&field.name);
            let typed = self.typed.value(&field.name).unwrap_or_default();
            all.extend(written(field, typed).into_iter().flatten().next().map(|value| (field.name.clone(), value)));
        }
        all
    }

    /// Runs a write that has to concern a record, where the engine counts them.
    pub(crate) fn run_counted(
        &self,
        saving: &Saving<'_>,
        transaction: &mut Transaction<'_>,
        operation: Operation,
        sql: &str,
        given: &Values,
    ) -> Result<(), Stop> {
        if transaction.run(sql, &self.all(given))? == 0 && saving.is_counted(operation) {
            return Err(Stop::Outcome(Outcome::Mistakes(vec![Mistake::whole(UNTOUCHED)])));
        }
        Ok(())
    }
}
