//! A part of a change: the schema in which only some tables are as they are now, and the others as they were accepted.

use crate::changes::Comparison;
use crate::definition::{EntityIndex, FileKey, Referent, Tree, references_in};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Catalogue, Objects, Schema, Table, Tables};
use std::collections::{BTreeMap, BTreeSet};

/// A table that a part of a merge can't take along by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UsedElsewhere {
    /// The table, by its accepted name.
    pub table: String,
    /// Its new name; none where it is gone.
    pub to: Option<String>,
    /// The entities that use it and aren't part of the merge.
    pub by: Vec<String>,
}

/// The tables that entities use, by their accepted names: their own, and those that they name and that are no entity's own.
pub fn tables_of(entities: &BTreeSet<String>, tree: &Tree, accepted: &Schema) -> BTreeSet<String> {
    let index = EntityIndex::of(tree);
    let owned: BTreeSet<String> = index.entities.values().map(|e| name::fold(&e.table)).collect();
    let mut tables: BTreeSet<String> = BTreeSet::new();
    for entity in entities {
        tables.extend(index.table(entity).and_then(|table| accepted.table(table)).map(|t| t.name.clone()));
        let file = FileKey::Entity(entity.clone());
        let Some(root) = tree.files.get(&file) else { continue };
        for reference in references_in(&file, root, &index, accepted) {
            let (Referent::Table(table) | Referent::Column { table, .. }) = reference.to else { continue };
            tables.extend(accepted.table(&table).filter(|t| !owned.contains(&name::fold(&t.name))).map(|t| t.name.clone()));
        }
    }
    tables
}

/// The tables of a part that are renamed or gone and that entities outside the part use too: they would be half merged.
pub fn used_elsewhere(
    tables: &BTreeSet<String>,
    entities: &BTreeSet<String>,
    tree: &Tree,
    accepted: &Schema,
    comparison: &Comparison,
    changed: &Schema,
) -> Vec<UsedElsewhere> {
    let names = comparison.presumed();
    let moved = |table: &&String| name::fold(names.table(table)) != name::fold(table) || changed.table(table).is_none();
    let mut found: BTreeMap<&String, BTreeSet<String>> = tables.iter().filter(moved).map(|table| (table, BTreeSet::new())).collect();
    if found.is_empty() {
        return Vec::new();
    }
    let index = EntityIndex::of(tree);
    let is_gone = |table: &str| changed.table(names.table(table)).is_none();
    for (file, root) in &tree.files {
        let FileKey::Entity(entity) = file else { continue };
        if entities.contains(entity) {
            continue;
        }
        for reference in references_in(file, root, &index, accepted) {
            let (table, also_named) = match &reference.to {
                Referent::Table(table) => (Some(table.as_str()), true),
                // A lookup goes along with a new name; what is gone it can't point at.
                Referent::Entity(other) => (index.table(other), false),
                _ => (None, false),
            };
            let Some(table) = table else { continue };
            for (moved, by) in found.iter_mut().filter(|(moved, _)| name::same(moved, table)) {
                if also_named || is_gone(moved) {
                    by.insert(entity.clone());
                }
            }
        }
    }
    let used = |(table, by): (&String, BTreeSet<String>)| {
        let to = names.table(table);
        let to = changed.table(to).is_some().then(|| to.to_owned());
        (!by.is_empty()).then(|| UsedElsewhere { table: table.clone(), to, by: by.into_iter().collect() })
    };
    found.into_iter().filter_map(used).collect()
}

/// The changed schema as far as these tables go, by their accepted names. What is new and has been left for later stays so.
pub fn partly(accepted: &Schema, changed: &Schema, comparison: &Comparison, tables: &BTreeSet<String>, later: &BTreeSet<String>) -> Schema {
    let chosen: BTreeSet<String> = tables.iter().map(|t| name::fold(t)).collect();
    let is_mine = |table: &str| chosen.contains(&name::fold(table));
    let (mine, others) = split(&comparison.presumed(), &is_mine);
    let mut part = mine.applied_to(accepted);
    let back = others.inverse();
    let as_now = |table: &Table| back.applied_to_table(table);
    let advanced: BTreeSet<&str> = tables.iter().map(|table| mine.table(table)).collect();
    part.tables.retain(|t| !advanced.contains(t.name.as_str()));
    part.tables.extend(advanced.iter().filter_map(|now| changed.table(now)).map(as_now));
    part.tables.sort();
    // A rename that isn't decided is asked about, with all that it may be.
    let open = comparison.renames.iter().filter(|r| r.column.is_none() && !r.taken && is_mine(&r.table));
    let candidates = open.flat_map(|r| &r.candidates).chain(later);
    let new: BTreeSet<&String> = candidates.collect();
    let new: Vec<Table> =
        new.into_iter().filter(|name| part.table(name).is_none()).filter_map(|name| changed.table(name)).map(as_now).collect();
    part.tables.extend(new);
    part.tables.sort();
    let own: Vec<&Table> = part.tables.iter().filter(|t| advanced.contains(t.name.as_str())).collect();
    part.objects = objects(&accepted.objects, &changed.objects, &own);
    part.catalogue = catalogue(accepted.catalogue.as_ref(), changed.catalogue.as_ref(), &mine, &is_mine, &part.tables);
    part.fingerprints.retain(|f| !changed.fingerprints.is_empty() && !advanced.contains(f.table.as_str()));
    part.fingerprints.extend(changed.fingerprints.iter().filter(|f| advanced.contains(f.table.as_str())).cloned());
    part.fingerprints.sort_by(|a, b| (&a.table, &a.column).cmp(&(&b.table, &b.column)));
    (part.home, part.trail, part.unseen) = (changed.home.clone(), changed.trail.clone(), changed.unseen.clone());
    part
}

/// The renames of some tables and their columns, and those of the others.
fn split(names: &RenameMap, is_mine: &dyn Fn(&str) -> bool) -> (RenameMap, RenameMap) {
    let (mut mine, mut others) = (RenameMap::default(), RenameMap::default());
    for (from, to) in names.table_renames() {
        if is_mine(from) { &mut mine } else { &mut others }.rename_table(from, to);
    }
    for (table, from, to) in names.column_renames() {
        if is_mine(table) { &mut mine } else { &mut others }.rename_column(table, from, to);
    }
    (mine, others)
}

/// What there is besides tables: as it was, but for the types that the tables of the part have now.
fn objects(accepted: &Objects, changed: &Objects, own: &[&Table]) -> Objects {
    let is_used = |name: &str| {
        let columns = own.iter().flat_map(|t| &t.columns).map(|c| &c.column_type);
        columns
            .into_iter()
            .any(|t| t.domain.as_deref().is_some_and(|d| name::same(d, name)) || name::same(&name::read_table(&t.original), name))
    };
    fn taken<T: Clone>(before: &[T], now: &[T], name: impl Fn(&T) -> &str, is_used: &dyn Fn(&str) -> bool) -> Vec<T> {
        let stays = |one: &&T| !is_used(name(one)) || !now.iter().any(|other| name(other) == name(one));
        let mut all: Vec<T> = before.iter().filter(stays).chain(now.iter().filter(|one| is_used(name(one)))).cloned().collect();
        all.sort_by(|a, b| name(a).cmp(name(b)));
        all
    }
    Objects {
        enums: taken(&accepted.enums, &changed.enums, |t| &t.name, &is_used),
        domains: taken(&accepted.domains, &changed.domains, |t| &t.name, &is_used),
        composites: taken(&accepted.composites, &changed.composites, |t| &t.name, &is_used),
        ranges: taken(&accepted.ranges, &changed.ranges, |t| &t.name, &is_used),
        ..accepted.clone()
    }
}

/// The catalogue's numbers: of the part's tables those of now, of the others those that were accepted, where both are of one
/// database. The change log is read from where it was.
fn catalogue(
    accepted: Option<&Catalogue>,
    changed: Option<&Catalogue>,
    mine: &RenameMap,
    is_mine: &dyn Fn(&str) -> bool,
    tables: &Tables,
) -> Option<Catalogue> {
    let (Some(before), Some(now)) = (accepted, changed) else { return accepted.cloned() };
    if before.database != now.database {
        return accepted.cloned();
    }
    let were = before.tables.iter().filter(|t| !is_mine(&t.table)).cloned();
    let old: BTreeSet<&str> = before.tables.iter().filter(|t| !is_mine(&t.table)).map(|t| t.table.as_str()).collect();
    let there: BTreeSet<&str> = tables.iter().map(|t| t.name.as_str()).collect();
    let back = mine.inverse();
    let is_now = |table: &str| there.contains(table) && (is_mine(back.table(table)) || !old.contains(table));
    let are = now.tables.iter().filter(|t| is_now(&t.table));
    let mut all: Vec<_> = were.chain(are.cloned()).collect();
    all.sort_by(|a, b| a.table.cmp(&b.table));
    Some(Catalogue { database: now.database.clone(), tables: all, trail: before.trail })
}
