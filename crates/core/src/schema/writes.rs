//! Writes that a database refuses before they run.

use super::{Engine, ForeignKey, Operation, Schema, Table, TableKind, Trigger};
use crate::name;
use std::collections::HashMap;

/// Foreign keys by the table they point at, each with the table that has it: found at once, however many there are.
#[derive(Debug, Default)]
pub struct Pointing<'a> {
    by_target: HashMap<String, Vec<(&'a Table, &'a ForeignKey)>>,
}

impl<'a> Pointing<'a> {
    /// All foreign keys of a schema.
    pub fn of(schema: &'a Schema) -> Pointing<'a> {
        let mut by_target: HashMap<String, Vec<(&Table, &ForeignKey)>> = HashMap::new();
        for table in &schema.tables {
            for key in &table.foreign_keys {
                by_target.entry(name::fold(&key.table)).or_default().push((table, key));
            }
        }
        Pointing { by_target }
    }

    /// Those that point at a table.
    pub fn at(&self, table: &str) -> impl Iterator<Item = (&'a Table, &'a ForeignKey)> + use<'a, '_> {
        self.by_target.get(&name::fold(table)).into_iter().flatten().copied()
    }
}

/// Why a write is refused before it runs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refusal {
    /// A view without an INSTEAD OF trigger for this operation.
    ReadOnlyView,
    /// A trigger names something gone.
    Trigger {
        /// Its name.
        trigger: String,
        /// What the database says.
        message: String,
    },
    /// A foreign key points at a table that is gone.
    TargetMissing {
        /// The table that has the key.
        from: String,
        /// The key.
        key: ForeignKey,
    },
    /// A foreign key points at columns that are gone or not unique.
    Mismatch {
        /// The table that has the key.
        from: String,
        /// The key.
        key: ForeignKey,
    },
}

/// What a schema takes of writes.
#[derive(Debug)]
pub struct Writes<'a> {
    schema: &'a Schema,
    pointing: Pointing<'a>,
}

impl<'a> Writes<'a> {
    /// Of a schema.
    pub fn of(schema: &'a Schema) -> Writes<'a> {
        Writes { schema, pointing: Pointing::of(schema) }
    }

    /// Why the database would refuse to prepare this write, if it would: a foreign key it can't follow,
    /// a view nothing makes writable, a trigger that names something gone.
    ///
    /// `written` are the columns an UPDATE sets; it is ignored for the other operations. The foreign key
    /// rules are SQLite's ("DML errors" of its foreign key documentation), with enforcement on.
    pub fn refused(&self, table: &Table, operation: Operation, written: &[&str]) -> Option<Refusal> {
        self.refused_along(table, operation, written, &mut Vec::new())
    }

    /// The same, of a write that others led to: what a key does to the records that point here is prepared with it.
    fn refused_along(
        &self,
        table: &Table,
        operation: Operation,
        written: &[&str],
        passed: &mut Vec<(String, Operation, Vec<String>)>,
    ) -> Option<Refusal> {
        let step = (name::fold(&table.name), operation, written.iter().map(|c| name::fold(c)).collect());
        if passed.contains(&step) {
            return None;
        }
        passed.push(step);
        let answers = |t: &&Trigger| t.operations.contains(&operation);
        if table.kind == TableKind::View {
            return match table.triggers.iter().filter(answers).find(|t| t.instead_of) {
                None if table.takes.as_ref().is_some_and(|takes| takes.contains(&operation)) => None,
                None => Some(Refusal::ReadOnlyView),
                Some(trigger) => trigger.broken.clone().map(|message| Refusal::Trigger { trigger: trigger.name.clone(), message }),
            };
        }
        if let Some((trigger, message)) = table.triggers.iter().filter(answers).find_map(|t| Some((t.name.clone(), t.broken.clone()?))) {
            return Some(Refusal::Trigger { trigger, message });
        }
        if self.schema.engine != Engine::Sqlite {
            // Servers keep keys in order themselves: what a key needs can't be dropped while it is there.
            return None;
        }
        let touched = |columns: &[String]| operation != Operation::Update || columns.iter().any(|c| name::contains(written, c));
        for key in table.foreign_keys.iter().filter(|k| touched(&k.columns)) {
            match self.schema.table(&key.table) {
                None if self.schema.lacks(&key.table) => {
                    return Some(Refusal::TargetMissing { from: table.name.clone(), key: key.clone() });
                }
                Some(target) if !key.fits(target) => return Some(Refusal::Mismatch { from: table.name.clone(), key: key.clone() }),
                _ => {}
            }
        }
        // Once a statement has to look after any key, SQLite wants every key that points here to be in order. An
        // INSERT into a parent can't break an immediate one, so those aren't looked at.
        let looks = match operation {
            Operation::Delete | Operation::Insert => true,
            Operation::Update => {
                table.foreign_keys.iter().any(|k| touched(&k.columns))
                    || self.pointing.at(&table.name).any(|(_, k)| touched(k.target_columns(table)))
            }
        };
        let pointing = self.pointing.at(&table.name).filter(|(_, key)| operation != Operation::Insert || key.deferred);
        let mut broken = pointing.filter(|(_, key)| looks && !key.fits(table));
        if let Some((child, key)) = broken.next() {
            return Some(Refusal::Mismatch { from: child.name.clone(), key: key.clone() });
        }
        // What happens to the records that point here is a write of their own.
        let mut along = self.pointing.at(&table.name).filter(|(_, key)| match operation {
            Operation::Delete => true,
            Operation::Update => touched(key.target_columns(table)),
            Operation::Insert => false,
        });
        along.find_map(|(child, key)| {
            let action = if operation == Operation::Delete { &key.on_delete } else { &key.on_update };
            let columns: Vec<&str> = key.columns.iter().map(String::as_str).collect();
            match action.as_deref().map(str::to_ascii_uppercase).as_deref() {
                Some("CASCADE") if operation == Operation::Delete => self.refused_along(child, Operation::Delete, &[], passed),
                Some("CASCADE" | "SET NULL" | "SET DEFAULT") => self.refused_along(child, Operation::Update, &columns, passed),
                _ => None,
            }
        })
    }
}
