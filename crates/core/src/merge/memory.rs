//! What merges remember: facts about what is gone, parts set aside with the fact they wait for, renames taken.

use super::element::Element;
use super::follow::Followed;
use crate::definition::Node;
use crate::name;
use crate::rename::{Former, RenameMap, without_gone};
use crate::schema::{Schema, Table};
use std::collections::BTreeSet;

/// A table, or a column of one.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Thing {
    /// The table.
    pub table: String,
    /// The column; absent for the table as a whole.
    pub column: Option<String>,
}

impl Thing {
    /// A table.
    pub fn table(table: &str) -> Thing {
        Thing { table: table.to_owned(), column: None }
    }

    /// A column.
    pub fn column(table: &str, column: &str) -> Thing {
        Thing { table: table.to_owned(), column: Some(column.to_owned()) }
    }

    /// Whether the schema has it.
    pub fn is_in(&self, schema: &Schema) -> bool {
        schema.table(&self.table).is_some_and(|t| self.column.as_ref().is_none_or(|c| t.reads(c)))
    }

    /// Whether both name the same.
    pub fn same(&self, other: &Thing) -> bool {
        name::same(&self.table, &other.table)
            && match (&self.column, &other.column) {
                (Some(a), Some(b)) => name::same(a, b),
                (a, b) => a.is_none() && b.is_none(),
            }
    }

    /// Under new names.
    pub fn renamed(&self, map: &RenameMap) -> Thing {
        let column = self.column.as_ref().map(|c| map.column(&self.table, c).to_owned());
        Thing { table: map.table(&self.table).to_owned(), column }
    }

    /// `table` or `table.column`, for people.
    pub fn shown(&self) -> String {
        match &self.column {
            Some(column) => name::shown(&name::dotted(without_gone(&self.table), without_gone(column))),
            None => name::shown(&name::written(without_gone(&self.table))),
        }
    }
}

/// Something that left the database while parts hung on it.
#[derive(Debug, Clone, PartialEq)]
pub struct Gone {
    /// What left, by its latest name.
    pub thing: Thing,
    /// The table as it was then, by the names in use now.
    pub shape: Table,
    /// The number of the loss it was part of: what left earlier was gone already.
    pub left: u32,
    /// Entity and role pairs that were restricted by field then: they had chosen what to see.
    pub restricted: Vec<(String, String)>,
}

/// What has to be true for a part to come back.
#[derive(Debug, Clone, PartialEq)]
pub enum Fact {
    /// These are in the database again.
    Needs(Vec<Thing>),
    /// The draft has this value again.
    Draft,
    /// The schema accepts this limit again.
    Limit,
    /// Something inside it comes back.
    Container,
}

/// What stands in a part's place.
#[derive(Debug, Clone, PartialEq)]
pub enum Left {
    /// Nothing.
    Absent,
    /// Another value.
    Value(Node),
}

/// Something a merge took out or replaced.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// Its number, never used again.
    pub id: u32,
    /// Where it belongs.
    pub element: Element,
    /// What it was; absent where a key was added by the merge.
    pub was: Option<Node>,
    /// What stands there instead.
    pub left: Left,
    /// When it comes back.
    pub fact: Fact,
    /// The array's order when it left, itself and set-aside members included.
    pub order: Vec<String>,
    /// How many sets of renames had been taken when it left.
    pub since: usize,
    /// Why it left, for people.
    pub because: String,
}

impl Part {
    /// Why it is put back, for people.
    pub fn back_because(&self) -> String {
        match &self.fact {
            Fact::Needs(things) => match things.iter().map(Thing::shown).collect::<Vec<_>>().as_slice() {
                [] => "what it hung on is in the database again".to_owned(),
                [one] => format!("{one} is in the database again"),
                several => format!("{} are in the database again", several.join(", ")),
            },
            Fact::Draft => "the draft has it again".to_owned(),
            Fact::Limit => "the database accepts it again".to_owned(),
            Fact::Container => "something in it is back".to_owned(),
        }
    }
}

/// Spellings of names in a fragment that a rename back should use again.
#[derive(Debug, Clone, PartialEq)]
pub struct Respelled {
    /// The fragment.
    pub element: Element,
    /// The name as it is written now, and as it was written before.
    pub tokens: Vec<(String, String)>,
}

/// Everything remembered between merges.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Memory {
    /// Each merge's renames, oldest first.
    pub renames: Vec<RenameMap>,
    /// What is gone.
    pub gone: Vec<Gone>,
    /// Parts of the definition.
    pub parts: Vec<Part>,
    /// Parts of the stored draft.
    pub draft_parts: Vec<Part>,
    /// Elements that merges added: taken out again when nothing is left in them.
    pub inserted: BTreeSet<Element>,
    /// Spellings to use again.
    pub respelled: Vec<Respelled>,
    /// Fields that followed their columns' names, in the order they did.
    pub followed: Vec<Followed>,
    /// The next part's number.
    pub next: u32,
}

impl Memory {
    /// Earlier names of the tables and columns of a schema, the latest last.
    pub fn former_names(&self, schema: &Schema) -> Vec<Former> {
        // Walking back through the renames, each present name is followed to the name it had.
        let mut former = Vec::new();
        let mut back = RenameMap::default();
        for renames in self.renames.iter().rev() {
            back = back.then(&renames.inverse());
            for (table, old) in back.table_renames() {
                former.push(Former { table: table.to_owned(), column: None, name: old.to_owned() });
            }
            for (table, column, old) in back.column_renames() {
                let table = schema.table(table).map_or(table, |t| &t.name);
                former.push(Former { table: table.to_owned(), column: Some(column.to_owned()), name: old.to_owned() });
            }
        }
        former.reverse();
        former.retain(|f| schema.table(&f.table).is_some_and(|t| f.column.as_ref().is_none_or(|c| t.column(c).is_some())));
        former
    }

    /// Whether a column had a name before the last renames gave it that name again; `table` and `column` are as they were
    /// before those.
    pub fn had_before(&self, table: &str, column: &str, name: &str) -> bool {
        let mut back = RenameMap::default();
        let earlier = self.renames.split_last().map_or(&[][..], |(_, earlier)| earlier);
        earlier.iter().rev().any(|renames| {
            back = back.then(&renames.inverse());
            name::same(back.column(table, column), name)
        })
    }

    /// All renames taken since a number of them had been.
    pub fn renames_since(&self, since: usize) -> RenameMap {
        self.renames.iter().skip(since).fold(RenameMap::default(), |all, next| all.then(next))
    }

    /// Brings what is remembered to the names in use now.
    pub fn rename(&mut self, map: &RenameMap) {
        for gone in &mut self.gone {
            gone.thing = gone.thing.renamed(map);
            gone.shape = map.applied_to_table(&gone.shape);
        }
        for part in self.parts.iter_mut().chain(&mut self.draft_parts) {
            if let Fact::Needs(things) = &mut part.fact {
                things.iter_mut().for_each(|t| *t = t.renamed(map));
            }
        }
    }

    /// Whether the name of something gone belongs to another thing of the schema now.
    pub fn is_taken_over(&self, thing: &Thing, schema: &Schema) -> bool {
        thing.is_in(schema) && self.gone.iter().any(|g| g.thing.same(thing))
    }
}
