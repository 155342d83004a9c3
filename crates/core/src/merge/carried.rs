//! What a merge makes of what is known of the database: everything under its new names, what is lost, and what comes back.

use super::identities::{Identities, with_lost};
use crate::merge::Thing;
use crate::name;
use crate::rename::{RenameMap, without_gone};
use crate::schema::{Schema, Table};
use std::collections::BTreeSet;

/// What a merge makes of what is known: everything under its new names, with what is lost from now on.
pub(super) struct Carried {
    /// From every name before, of what is lost too, to the name now.
    pub names: RenameMap,
    /// What comes back, by the names it has now.
    pub back: Vec<Thing>,
    /// The schema with everything that is lost in its place, by the names now.
    pub all: Schema,
    /// What is known from now on.
    pub known: Identities,
}

impl Carried {
    /// Carries everything over. `taken` are the renames of what was there, `changed` the schema as far as this merge goes.
    pub fn of(known: &Identities, accepted: &Schema, changed: &Schema, taken: &RenameMap) -> Carried {
        let mut names = apart(known, taken);
        let carried = taken.applied_to(accepted);
        let moved = known.renamed(&without_columns(taken));
        let mut back = Vec::new();
        let mut used: BTreeSet<(String, Option<String>)> = BTreeSet::new();
        // Tables first: their columns come with them.
        for (table, _) in moved.lost.iter().rev().filter(|(_, column)| column.is_none()) {
            let thing = Thing::table(table);
            let free = |n: &&String| changed.table(n).is_some() && carried.table(n).is_none() && !used.contains(&(name::fold(n), None));
            if let Some(found) = moved.names_of(&thing).iter().find(free) {
                let now = changed.table(found).map_or_else(|| found.clone(), |t| t.name.clone());
                used.insert((name::fold(found), None));
                if *table != now {
                    names.rename_table(table, &now);
                }
                back.push(Thing::table(&now));
                let shape = moved.tables.iter().find(|t| name::same(&t.name, table));
                names_of_columns(&moved, shape, changed.table(&now), &mut names);
            }
        }
        // What is lost and had the name of what is there now gives it up.
        let was_lost: Vec<(String, Option<String>)> = known.lost.clone();
        for (table, column) in was_lost.iter().rev() {
            let Some(column) = column else { continue };
            let table_now = names.table(table).to_owned();
            let Some(now) = changed.table(&table_now) else { continue };
            let lives = |c: &str| carried.table(&table_now).is_some_and(|t| t.column(c).is_some());
            let candidates = known.names_of(&Thing::column(table, column));
            let free = |n: &&String| now.column(n).is_some() && !lives(n) && !used.contains(&(name::fold(&table_now), Some(name::fold(n))));
            match candidates.iter().find(free) {
                Some(found) => {
                    let to = now.column(found).map_or_else(|| found.clone(), |c| c.name.clone());
                    used.insert((name::fold(&table_now), Some(name::fold(&to))));
                    if *column != to {
                        names.rename_column(table, column, &to);
                    }
                    back.push(Thing::column(&table_now, &to));
                }
                None => {
                    let is_there = now.column(column).is_some();
                    if is_there {
                        names.rename_column(table, column, &crate::rename::gone_name(column, |n| known.is_lost(&Thing::column(table, n))));
                    }
                }
            }
        }
        for (table, column) in &was_lost {
            if column.is_none()
                && names.table(table) == table
                && changed.table(table).is_some()
                && !back.iter().any(|b| b.same(&Thing::table(table)))
            {
                names.rename_table(table, &crate::rename::gone_name(table, |n| known.is_lost(&Thing::table(n))));
            }
        }
        let known_now = known.renamed(&names);
        let everything = names.applied_to(&known.all(accepted));
        let ordered = crate::schema::in_accepted_order(&everything, changed);
        let mut lost: Vec<(String, Option<String>)> =
            known_now.lost.iter().filter(|(t, c)| !Thing { table: t.clone(), column: c.clone() }.is_in(changed)).cloned().collect();
        let mut all = ordered;
        let mut tables = Vec::new();
        for table in &everything.tables {
            match all.table(&table.name) {
                None => {
                    if !lost.iter().any(|(t, c)| c.is_none() && name::same(t, &table.name)) {
                        lost.push((table.name.clone(), None));
                    }
                    tables.push(table.clone());
                    all.put(table.clone());
                }
                Some(now) => {
                    let gone: Vec<&str> = table.columns.iter().map(|c| c.name.as_str()).filter(|c| !now.reads(c)).collect();
                    if gone.is_empty() {
                        continue;
                    }
                    let new = gone.iter().filter(|c| {
                        !lost.iter().any(|(t, l)| name::same(t, &table.name) && l.as_deref().is_some_and(|l| name::same(l, c)))
                    });
                    let new: Vec<(String, Option<String>)> = new.map(|c| (table.name.clone(), Some((*c).to_owned()))).collect();
                    lost.extend(new);
                    let whole = with_lost(now, table);
                    tables.push(whole.clone());
                    all.put(whole);
                }
            }
        }
        let known = Identities { lost, tables, ..known_now };
        Carried { names, back, all, known }
    }
}

/// The renames, with another name for what gives its name up where something lost has that already.
fn apart(known: &Identities, taken: &RenameMap) -> RenameMap {
    let mut names = taken.clone();
    for (table, from, to) in taken.column_renames() {
        if without_gone(to) != to && known.is_lost(&Thing::column(table, to)) {
            names.rename_column(table, from, &crate::rename::gone_name(without_gone(to), |n| known.is_lost(&Thing::column(table, n))));
        }
    }
    for (from, to) in taken.table_renames() {
        if without_gone(to) != to && known.is_lost(&Thing::table(to)) {
            names.rename_table(from, &crate::rename::gone_name(without_gone(to), |n| known.is_lost(&Thing::table(n))));
        }
    }
    names
}

/// A returning table may have its columns back under names they had before.
fn names_of_columns(known: &Identities, shape: Option<&Table>, now: Option<&Table>, names: &mut RenameMap) {
    let (Some(shape), Some(now)) = (shape, now) else { return };
    for column in shape.columns.iter().filter(|c| now.column(&c.name).is_none()) {
        let thing = Thing::column(&shape.name, &column.name);
        let earlier = known.names_of(&thing).into_iter().skip(1);
        let back = earlier.filter_map(|n| now.column(&n).map(|c| c.name.clone())).find(|n| shape.column(n).is_none());
        if let Some(back) = back.filter(|_| !known.is_lost(&thing)) {
            names.rename_column(&shape.name, &column.name, &back);
        }
    }
}

/// The renames of tables alone: columns are carried one by one.
fn without_columns(map: &RenameMap) -> RenameMap {
    let mut tables = RenameMap::default();
    map.table_renames().for_each(|(from, to)| tables.rename_table(from, to));
    tables
}

/// What is lost, to look names up in.
pub(super) struct Lost {
    tables: BTreeSet<String>,
    columns: BTreeSet<(String, String)>,
}

impl Lost {
    pub fn of(known: &Identities) -> Lost {
        Lost::things(known.lost.iter().map(|(table, column)| Thing { table: table.clone(), column: column.clone() }))
    }

    pub fn things(things: impl IntoIterator<Item = Thing>) -> Lost {
        let (mut tables, mut columns) = (BTreeSet::new(), BTreeSet::new());
        for thing in things {
            match &thing.column {
                None => {
                    tables.insert(name::fold(&thing.table));
                }
                Some(column) => {
                    columns.insert((name::fold(&thing.table), name::fold(column)));
                }
            }
        }
        Lost { tables, columns }
    }

    /// The loss that a table or column falls under.
    pub fn of_thing(&self, thing: &Thing) -> Option<Thing> {
        if self.tables.contains(&name::fold(&thing.table)) {
            return Some(Thing::table(&thing.table));
        }
        let column = thing.column.as_ref()?;
        self.columns.contains(&(name::fold(&thing.table), name::fold(column))).then(|| thing.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::{Column, Engine};

    /// `hive: id tag; yard: id` as a schema.
    fn schema(text: &str) -> Schema {
        let table = |line: &str| {
            let (name, columns) = line.split_once(':').unwrap();
            let column = |c: &str| Column { name: c.to_owned(), ..Column::default() };
            Table { name: name.trim().to_owned(), columns: columns.split_whitespace().map(column).collect(), ..Table::default() }
        };
        Schema::new(Engine::Postgresql, text.split(';').map(table).collect())
    }

    fn shown(schema: &Schema) -> String {
        let columns = |t: &Table| t.columns.iter().map(|c| c.name.as_str()).collect::<Vec<_>>().join(",");
        schema.tables.iter().map(|t| format!("{}:{}", t.name, columns(t))).collect::<Vec<_>>().join(" ")
    }

    /// Walks through schemas; each with the renames that lead to it, as `table.old>new`. Told are the schema with what is lost,
    /// and what came back.
    fn walk(first: &str, steps: &[(&str, &str)]) -> Vec<(String, String)> {
        walked(first, steps).0
    }

    /// Likewise, with the names now and the first ones they are spoken of by at the end.
    fn walked(first: &str, steps: &[(&str, &str)]) -> (Vec<(String, String)>, String) {
        let (mut accepted, mut known) = (schema(first), Identities::default());
        let mut told = Vec::new();
        let mut spoken = String::new();
        for (next, renames) in steps {
            let mut taken = RenameMap::default();
            for rename in renames.split_whitespace() {
                let (old, new) = rename.split_once('>').unwrap();
                match old.split_once('.') {
                    Some((table, column)) => taken.rename_column(table, column, new),
                    None => taken.rename_table(old, new),
                }
            }
            let changed = schema(next);
            let carried = Carried::of(&known, &accepted, &changed, &taken);
            let back: Vec<String> = carried.back.iter().map(Thing::shown).collect();
            told.push((shown(&carried.all), back.join(" ")));
            let first = carried.known.first_names(&carried.all);
            let of_columns = first.column_renames().map(|(table, now, first)| format!("{table}.{now}={first}"));
            spoken = first.table_renames().map(|(now, first)| format!("{now}={first}")).chain(of_columns).collect::<Vec<_>>().join(" ");
            known = Identities { ..carried.known };
            assert_eq!(known.written().read(), known, "what is kept reads back");
            accepted = changed;
        }
        (told, spoken)
    }

    #[test]
    fn drafts_speak_of_things_by_their_first_names_whichever_way_they_came() {
        for (first, steps, spoken) in [
            ("hive: id a", &[("hive: id b", "hive.a>b")][..], "hive.b=a"),
            ("hive: id a", &[("hive: id b", "hive.a>b"), ("hive: id c", "hive.b>c")], "hive.c=a"),
            // Under its first name again it is spoken of by that, and stays so when it leaves once more.
            ("hive: id a", &[("hive: id b", "hive.a>b"), ("hive: id a", "hive.b>a")], ""),
            ("hive: id a", &[("hive: id b", "hive.a>b"), ("hive: id a", "hive.b>a"), ("hive: id c", "hive.a>c")], "hive.c=a"),
            ("hive: id a", &[("box: id b", "hive>box hive.a>b")], "box=hive box.b=a"),
            // Lost, and back under a later name.
            ("hive: id a", &[("hive: id b", "hive.a>b"), ("hive: id", ""), ("hive: id b", "")], "hive.b=a"),
            // Something else has the first name now.
            ("hive: id a", &[("hive: id b", "hive.a>b"), ("hive: id b a", "")], ""),
        ] {
            assert_eq!(walked(first, steps).1, spoken, "{first} {steps:?}");
        }
    }

    #[test]
    fn what_is_lost_keeps_its_place_and_returns_under_any_name_it_had() {
        type Case = (&'static str, &'static [(&'static str, &'static str)], &'static [(&'static str, &'static str)]);
        let cases: &[Case] = &[
            // Lost in its place, back last in the database, and in its place again.
            ("hive: id a b c", &[("hive: id a c", ""), ("hive: id a c b", "")], &[("hive:id,a,b,c", ""), ("hive:id,a,b,c", "hive.b")]),
            // Renamed, lost, back under its first name.
            (
                "hive: id a b",
                &[("hive: id x b", "hive.a>x"), ("hive: id b", ""), ("hive: id b a", "")],
                &[("hive:id,x,b", ""), ("hive:id,x,b", ""), ("hive:id,a,b", "hive.a")],
            ),
            // Another column takes the name of what is lost: it stays lost, under a name of its own, until the name is free.
            (
                "hive: id a b",
                &[("hive: id b", ""), ("hive: id a", "hive.b>a"), ("hive: id b", "hive.a>b"), ("hive: id b a", "")],
                &[("hive:id,a,b", ""), ("hive:id,a (gone),a", ""), ("hive:id,a (gone),b", ""), ("hive:id,a,b", "hive.a")],
            ),
            // A table is lost with its columns, one of which was lost before.
            (
                "hive: id a; yard: id",
                &[("hive: id; yard: id", ""), ("yard: id", ""), ("yard: id; hive: id", ""), ("yard: id; hive: id a", "")],
                &[("hive:id,a yard:id", ""), ("hive:id,a yard:id", ""), ("hive:id,a yard:id", "hive"), ("hive:id,a yard:id", "hive.a")],
            ),
            // Renamed and lost, back under the name before.
            (
                "hive: id; yard: id",
                &[("box: id; yard: id", "hive>box"), ("yard: id", ""), ("yard: id; hive: id", "")],
                &[("box:id yard:id", ""), ("box:id yard:id", ""), ("hive:id yard:id", "hive")],
            ),
        ];
        for (first, steps, expected) in cases {
            let told = walk(first, steps);
            let told: Vec<(&str, &str)> = told.iter().map(|(all, back)| (all.as_str(), back.as_str())).collect();
            assert_eq!(told, *expected, "{first}: {steps:?}");
        }
    }
}
