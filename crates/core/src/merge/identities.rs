//! What tables and columns are, whatever they are called: what is lost stays known, under a name of its own, in its place.

use crate::merge::Thing;
use crate::name;
use crate::rename::{Former, RenameMap, without_gone};
use crate::schema::{Schema, Table};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// A table or column with the names it had.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Named {
    /// The table, by the name it is known by now.
    pub table: String,
    /// The column; absent for the table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<String>,
    /// The names it had before, the latest last.
    pub names: Vec<String>,
    /// The name it was first known by: what is drafted speaks of it by that, so that a rename changes no label and no layout.
    #[serde(default)]
    pub first: String,
}

/// What merges know of the database beyond the accepted schema.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Identities {
    /// What is lost, the latest loss last. A lost table's columns aren't listed, but for those it had lost before.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub lost: Vec<(String, Option<String>)>,
    /// The tables that are lost or have lost columns, with these in their places.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub tables: Vec<Table>,
    /// Earlier names.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub named: Vec<Named>,
    /// What a person left out of the draft.
    #[serde(skip_serializing_if = "LeftOut::is_empty")]
    pub left_out: LeftOut,
    /// New tables answered `later`.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub later: BTreeSet<String>,
    /// The role that `start` drafted.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub start_role: Option<String>,
}

/// What a person deleted that the generator drafted, where the draft alone can't tell it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct LeftOut {
    /// Elements, as [`Element::encode`](crate::merge::Element::encode) writes them.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub elements: BTreeSet<String>,
    /// Columns (and join tables with their columns) of entities that no field is to use.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub columns: BTreeSet<(String, String)>,
    /// Tables that no entity is to be over.
    #[serde(skip_serializing_if = "BTreeSet::is_empty")]
    pub tables: BTreeSet<String>,
}

impl LeftOut {
    /// Whether nothing is.
    pub fn is_empty(&self) -> bool {
        *self == LeftOut::default()
    }
}

impl Identities {
    /// As it is kept: names as a person writes them.
    #[must_use]
    pub fn written(&self) -> Identities {
        let tables = self.tables.iter().map(|table| match name::split_qualified(&table.name) {
            (Some(schema), own) => Table { schema: Some(schema.to_owned()), name: own.to_owned(), ..table.clone() },
            _ => table.clone(),
        });
        Identities { tables: tables.collect(), ..self.with_tables(&name::written) }
    }

    /// From how it is kept.
    #[must_use]
    pub fn read(&self) -> Identities {
        let tables = self.tables.iter().cloned().map(|mut table| {
            if let Some(schema) = &table.schema {
                table.name = name::qualified(schema, &table.name);
            }
            table
        });
        Identities { tables: tables.collect(), ..self.with_tables(&name::read_table) }
    }

    /// With every table's name made anew.
    fn with_tables(&self, to: &dyn Fn(&str) -> String) -> Identities {
        let named = self.named.iter().map(|n| {
            let names = n.names.iter().map(|name| if n.column.is_none() { to(name) } else { name.clone() });
            let first = if n.column.is_none() { to(&n.first) } else { n.first.clone() };
            Named { table: to(&n.table), column: n.column.clone(), names: names.collect(), first }
        });
        let left_out = LeftOut { tables: self.left_out.tables.iter().map(|t| to(t)).collect(), ..self.left_out.clone() };
        Identities {
            lost: self.lost.iter().map(|(t, c)| (to(t), c.clone())).collect(),
            named: named.collect(),
            later: self.later.iter().map(|t| to(t)).collect(),
            left_out,
            ..self.clone()
        }
    }

    /// The schema with everything that is lost in its place.
    pub fn all(&self, live: &Schema) -> Schema {
        let mut all = live.clone();
        for known in &self.tables {
            let is_lost = self.is_lost(&Thing::table(&known.name));
            match live.table(&known.name).filter(|_| !is_lost) {
                Some(now) => all.put(with_lost(now, known)),
                None => all.put(known.clone()),
            }
        }
        all
    }

    /// Whether this very thing is lost; a column of a lost table is only where it was lost before.
    pub fn is_lost(&self, thing: &Thing) -> bool {
        self.lost.iter().any(|(table, column)| Thing { table: table.clone(), column: column.clone() }.same(thing))
    }

    /// Earlier names of what is there, by accepted names.
    pub fn former(&self) -> Vec<Former> {
        let there = self.named.iter().filter(|n| !self.is_lost(&Thing { table: n.table.clone(), column: n.column.clone() }));
        there
            .flat_map(|n| n.names.iter().map(|name| Former { table: n.table.clone(), column: n.column.clone(), name: name.clone() }))
            .collect()
    }

    /// From the names that tables and columns had to those they have, where nothing has the old one: what another branch still
    /// says means these. By the tables' old names, as renames are told.
    pub fn spoken_of_before(&self, accepted: &Schema) -> RenameMap {
        let mut map = RenameMap::default();
        let former = self.former();
        for one in former.iter().filter(|f| f.column.is_none() && accepted.table(&f.name).is_none()) {
            map.rename_table(&one.name, &one.table);
        }
        let back = map.inverse();
        for one in &former {
            let Some(column) = one.column.as_ref().filter(|_| accepted.column(&one.table, &one.name).is_none()) else { continue };
            // A branch may say the table's old name or the one of now.
            for table in [back.table(&one.table), one.table.as_str()] {
                map.rename_column(table, &one.name, column);
            }
        }
        map
    }

    /// What is lost by the names it may return under: its last one and those before.
    pub fn returning(&self) -> Vec<(String, Option<String>)> {
        self.lost.clone()
    }

    /// The names a thing had, the latest first, its present one at the head.
    pub fn names_of(&self, thing: &Thing) -> Vec<String> {
        let own = without_gone(thing.column.as_deref().unwrap_or(&thing.table)).to_owned();
        let before = self.named.iter().find(|n| Thing { table: n.table.clone(), column: n.column.clone() }.same(thing));
        std::iter::once(own).chain(before.into_iter().flat_map(|n| n.names.iter().rev().cloned())).collect()
    }

    /// Whether a column had a name before.
    pub fn had_name(&self, table: &str, column: &str, wanted: &str) -> bool {
        self.names_of(&Thing::column(table, column)).iter().skip(1).any(|n| name::same(n, wanted))
    }

    /// From the names of now to the first ones, where nothing of `all` has them meanwhile.
    pub fn first_names(&self, all: &Schema) -> RenameMap {
        let mut first = RenameMap::default();
        let is_taken = |one: &Named| {
            let others = self.named.iter().filter(|n| **n != *one && n.table == one.table || n.column.is_none() && one.column.is_none());
            let twice =
                others.filter(|n| *n != one && n.column.is_some() == one.column.is_some()).any(|n| name::same(&n.first, &one.first));
            let there = match &one.column {
                None => all.table(&one.first).is_some(),
                Some(_) => all.column(&one.table, &one.first).is_some(),
            };
            twice || there
        };
        for one in &self.named {
            let now = one.column.as_deref().unwrap_or(&one.table);
            if one.first.is_empty() || name::same(now, &one.first) || is_taken(one) {
                continue;
            }
            match &one.column {
                None => first.rename_table(&one.table, &one.first),
                Some(column) => first.rename_column(&one.table, column, &one.first),
            }
        }
        first
    }

    /// Brings everything to the names in use now, and remembers the ones before.
    #[must_use]
    pub fn renamed(&self, map: &RenameMap) -> Identities {
        let mut now = self.clone();
        let to = |table: &str, column: Option<&str>| (map.table(table).to_owned(), column.map(|c| map.column(table, c).to_owned()));
        for (table, column) in &mut now.lost {
            (*table, *column) = to(table, column.as_deref());
        }
        now.tables = self.tables.iter().map(|t| map.applied_to_table(t)).collect();
        for named in &mut now.named {
            (named.table, named.column) = to(&named.table, named.column.as_deref());
        }
        let mut note = |table: &str, column: Option<&str>, before: &str, after: &str| {
            if without_gone(before) == without_gone(after) {
                return;
            }
            let at = now.named.iter().position(|n| n.table == table && n.column.as_deref() == column);
            let names = match at.and_then(|at| now.named.get_mut(at)) {
                Some(named) => &mut named.names,
                None => {
                    let first = without_gone(before).to_owned();
                    now.named.push(Named { table: table.to_owned(), column: column.map(str::to_owned), names: Vec::new(), first });
                    let Some(named) = now.named.last_mut() else { return };
                    &mut named.names
                }
            };
            // Each name once: the order tells which came last.
            names.retain(|n| n != without_gone(before) && n != without_gone(after));
            names.push(without_gone(before).to_owned());
        };
        for (from, to) in map.table_renames() {
            note(to, None, from, to);
        }
        for (table, from, to) in map.column_renames() {
            note(map.table(table), Some(to), from, to);
        }
        now.named.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
        now
    }
}

/// A table with the columns that it has lost in their places.
pub(super) fn with_lost(now: &Table, known: &Table) -> Table {
    let mut table = now.clone();
    let order: Vec<String> = known.columns.iter().map(|c| name::fold(&c.name)).collect();
    for column in &known.columns {
        if table.column(&column.name).is_none() {
            let visible: Vec<String> = table.columns.iter().map(|c| name::fold(&c.name)).collect();
            table.columns.insert(crate::merge::place(&order, &name::fold(&column.name), &visible), column.clone());
        }
    }
    table
}
