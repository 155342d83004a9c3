//! What a change reaches: the entities without which it can't be told what it does. All others can stay unopened.
//!
//! It asks less than what is true: an entity that isn't reached can't be met, but one that is needn't be.

use super::tile::Tile;
use super::whole::{Whole, has_own};
use crate::definition::{FileKey, KnownEntity, Node, Shape, Sleeper, Value, shape_of};
use crate::name;
use crate::schema::{Schema, TableNumbers};
use crate::sql;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

impl Whole {
    /// What is known of an entity while it isn't open, and whether it may stay so: what is hidden in it may come back whatever
    /// the change is about.
    pub fn sleeper(&self, entity: &str) -> Option<(Sleeper, bool)> {
        let root = self.tree.entity(entity)?;
        let tile = self.tile(root);
        let is_own = tile.is_some_and(|tile| tile.own);
        let is_added = tile.is_some_and(|tile| tile.added) && !has_own(root, &self.tiles);
        let sleeper = Sleeper { is_own, is_added, ..Sleeper::of_plain(root, Arc::new(KnownEntity::of(root))) };
        Some((sleeper, is_plain(root, &self.tiles)))
    }
}

impl Sleeper {
    /// What is known of an entity of which nothing is hidden and nothing remembered.
    pub fn of_plain(root: &Node, known: Arc<KnownEntity>) -> Sleeper {
        let keys = |of: Option<&Node>| of.map(Node::entries).unwrap_or_default().iter().map(|e| e.key.clone()).collect::<Vec<_>>();
        let pages = root.get("page").map(Node::entries).unwrap_or_default();
        let lists = pages.iter().flat_map(|page| page.node.get("children").map(Node::items).unwrap_or_default());
        let fields = root.get("field").map(Node::entries).unwrap_or_default();
        let called = root.get("title").and_then(Node::as_text).unwrap_or_default();
        let target = |field: &str| known.fields.get(field).and_then(|field| field.target.clone());
        let mut words = Some(BTreeSet::new());
        words_of_sql(root, *shape_of(&FileKey::Entity(String::new())), &mut words);
        Sleeper {
            pages: keys(root.get("page")),
            left_out: root.get("left_out").map(Node::strings).unwrap_or_default(),
            is_own: false,
            is_added: false,
            lists: lists.filter_map(|list| list.get("entity")?.as_text().map(str::to_owned)).collect(),
            called_by: sql::parse_template(called).fields().filter_map(|(field, ..)| target(field)).collect(),
            shows_others: fields.iter().any(|field| field.node.get("lookup").is_some_and(|lookup| lookup.get("show").is_some())),
            words,
            known,
        }
    }
}

/// Whether nothing of a node is hidden or stands behind something else.
fn is_plain(node: &Node, tiles: &[Tile]) -> bool {
    let tile = tiles.get(node.tile as usize);
    !tile.is_some_and(|tile| tile.is_hidden() || tile.was_hidden || tile.stand_in.is_some())
        && node.items().iter().all(|item| is_plain(item, tiles))
        && node.entries().iter().all(|entry| is_plain(&entry.node, tiles))
}

/// What stands between other characters than those of plain names, folded: more than the names in a text, never less.
fn words_of(text: &str) -> impl Iterator<Item = String> {
    text.split(|c: char| !c.is_alphanumeric() && c != '_').filter(|word| !word.is_empty()).map(name::fold)
}

/// Gathers the words of conditions and statements.
fn words_of_sql(node: &Node, shape: Shape, words: &mut Option<BTreeSet<String>>) {
    match (shape, &node.value) {
        // Escaped characters may spell anything.
        (Shape::Condition { .. } | Shape::Statement, Value::Text(text)) if text.to_lowercase().contains("u&\"") => *words = None,
        (Shape::Condition { .. } | Shape::Statement, Value::Text(text)) => words.iter_mut().for_each(|all| all.extend(words_of(text))),
        (Shape::Records { keys, .. }, Value::List(items)) => {
            for (item, key) in items.iter().flat_map(|item| keys.iter().map(move |key| (item, key))) {
                item.get(key.name).into_iter().for_each(|inner| words_of_sql(inner, key.shape, words));
            }
        }
        (shape, Value::Table(entries)) => {
            for entry in entries {
                shape.child(&entry.key).into_iter().for_each(|inner| words_of_sql(&entry.node, *inner, words));
            }
        }
        _ => {}
    }
}

/// Whether a change is about tables alone: what names other objects may be anywhere.
pub fn is_about_tables(accepted: &Schema, changed: &Schema) -> bool {
    accepted.engine == changed.engine && accepted.objects == changed.objects
}

/// The entities that have to be open to tell what a change of the database does, where `edited` are those that people changed since
/// they were known so, and `closed` those that may stay closed otherwise. Nothing where it may be any of them.
pub fn reached(
    all: &BTreeMap<String, Arc<Sleeper>>,
    (edited, closed): (&BTreeSet<String>, &BTreeSet<String>),
    accepted: &Schema,
    changed: &Schema,
) -> Option<BTreeSet<String>> {
    if !is_about_tables(accepted, changed) {
        return None;
    }
    let Differing { tables, names, targets, read_by_views } = Differing::between(accepted, changed)?;
    let is_over = |table: &str| tables.contains(&name::fold(table));
    let lookups: BTreeMap<&str, BTreeSet<&str>> = all.iter().map(|(entity, s)| (entity.as_str(), s.points_at().collect())).collect();
    let says = |sleeper: &Sleeper| sleeper.words.as_ref().is_none_or(|words| words.iter().any(|word| names.contains(word)));
    // What the change is about, and what is called by it, however far off.
    let is_met = |(entity, s): &(&String, &Arc<Sleeper>)| edited.contains(*entity) || is_over(&s.known.table) || says(s);
    let mut met: BTreeSet<&str> = all.iter().filter(is_met).map(|(entity, _)| entity.as_str()).collect();
    let mut called: BTreeMap<&str, Vec<&str>> = BTreeMap::new();
    for (entity, by) in all.iter().flat_map(|(entity, s)| s.called_by.iter().map(move |by| (entity, by))) {
        called.entry(by).or_default().push(entity);
    }
    let mut next: Vec<&str> = met.iter().copied().chain(edited.iter().map(String::as_str)).collect();
    met.extend(edited.iter().map(String::as_str));
    while let Some(entity) = next.pop() {
        let more = called.get(entity).into_iter().flatten().copied().filter(|e| met.insert(e));
        next.extend(more.collect::<Vec<_>>());
    }
    // What shows any of that in a lookup.
    let points = |entity: &str| lookups.get(entity).is_some_and(|targets| targets.iter().any(|t| met.contains(t)));
    let shows = |entity: &str, sleeper: &Sleeper| {
        points(entity) || (sleeper.shows_others && lookups.get(entity).is_some_and(|targets| targets.iter().any(|t| points(t))))
    };
    let joins = |sleeper: &Sleeper| sleeper.known.fields.values().any(|f| f.through.as_ref().is_some_and(|(table, ..)| is_over(table)));
    let shown: BTreeSet<&str> = all
        .iter()
        .filter(|(entity, s)| met.contains(entity.as_str()) || shows(entity, s) || joins(s))
        .map(|(entity, _)| entity.as_str())
        .collect();
    // What lists any of that, what may not be closed, and what refers to others without the database saying so.
    let lists = |s: &Sleeper| s.lists.iter().any(|e| shown.contains(e.as_str()) || edited.contains(e));
    let open = all.iter().filter(|(entity, s)| {
        let is_read = || !read_by_views.is_empty() && words_of(name::split_qualified(&s.known.table).1).all(|w| read_by_views.contains(&w));
        let is_target = targets.contains(&name::fold(&s.known.table)) || is_read();
        is_target || shown.contains(entity.as_str()) || !closed.contains(*entity) || lists(s) || !is_declared(&s.known, all, accepted)
    });
    let mut reached: BTreeSet<String> = open.map(|(entity, _)| entity.clone()).collect();
    reached.extend(edited.iter().cloned());
    // And what those point at.
    let mut next: Vec<String> = reached.iter().cloned().collect();
    while let Some(entity) = next.pop() {
        let more: Vec<String> = lookups
            .get(entity.as_str())
            .into_iter()
            .flatten()
            .filter(|t| reached.insert((**t).to_owned()))
            .map(|t| (*t).to_owned())
            .collect();
        next.extend(more);
    }
    Some(reached)
}

/// What isn't the same in two schemas, in folded names.
#[derive(Default)]
struct Differing {
    tables: BTreeSet<String>,
    /// The words of these, and of their differing columns.
    names: BTreeSet<String>,
    /// Tables that they refer to.
    targets: BTreeSet<String>,
    /// The words of the queries of those that are views.
    read_by_views: BTreeSet<String>,
}

impl Differing {
    /// Nothing where a name has no word that could be looked for.
    fn between(accepted: &Schema, changed: &Schema) -> Option<Differing> {
        let renumbered = renumbered(accepted, changed)?;
        let mut differing = Differing::default();
        for (of, other) in [(accepted, changed), (changed, accepted)] {
            for table in &of.tables {
                let there = other.tables.place_of(&table.name).ok().and_then(|at| other.tables.get(at));
                // Two that exchanged their names may look the same.
                let there = there.filter(|_| !renumbered.contains(table.name.as_str()));
                if there.is_some_and(|there| there.is(table)) {
                    continue;
                }
                differing.tables.insert(name::fold(&table.name));
                differing.targets.extend(table.foreign_keys.iter().map(|key| name::fold(&key.table)));
                differing.read_by_views.extend(table.definition.iter().flat_map(|query| words_of(query)));
                let columns = table.columns.iter().filter(|c| there.and_then(|t| t.column(&c.name)) != Some(*c));
                columns.map(|c| c.name.as_str()).chain([table.name.as_str()]).try_for_each(|name| differing.says(name))?;
            }
            // What isn't read any more, or is read now.
            for table in of.outside.iter().filter(|table| !other.outside.contains(table)) {
                differing.tables.insert(name::fold(table));
                differing.says(table)?;
            }
        }
        Some(differing)
    }

    fn says(&mut self, name: &str) -> Option<()> {
        let words: Vec<String> = words_of(name::split_qualified(name).1).collect();
        (!words.is_empty()).then(|| self.names.extend(words))
    }
}

/// Tables whose numbers in the catalogue, or whose columns' numbers, aren't the same; nothing where names alone were logged.
fn renumbered<'s>(accepted: &'s Schema, changed: &'s Schema) -> Option<BTreeSet<&'s str>> {
    if !accepted.same_database(changed) {
        return changed.trail.is_empty().then(BTreeSet::new);
    }
    let numbers = |schema: &'s Schema| -> BTreeMap<&'s str, &'s TableNumbers> {
        schema.catalogue.iter().flat_map(|c| &c.tables).map(|t| (t.table.as_str(), t)).collect()
    };
    let (before, now) = (numbers(accepted), numbers(changed));
    let differs = |table: &&str| before.get(table) != now.get(table);
    Some(before.keys().chain(now.keys()).copied().filter(differs).collect())
}

/// Whether everything that an entity points at is a foreign key of the database, or was one of columns that aren't there.
fn is_declared(known: &KnownEntity, all: &BTreeMap<String, Arc<Sleeper>>, accepted: &Schema) -> bool {
    let declared = |table: &str, columns: &[String]| {
        accepted.table(table).is_none_or(|table| {
            columns.iter().any(|c| table.column(c).is_none())
                || table.foreign_keys.iter().any(|k| k.columns.iter().any(|c| name::contains(columns, c)))
        })
    };
    known.fields.values().filter(|field| field.target.as_ref().is_some_and(|t| all.contains_key(t))).all(|field| match &field.through {
        Some((through, here, there)) => declared(through, here) && declared(through, there),
        None => declared(&known.table, &field.columns),
    })
}

#[cfg(test)]
mod tests {
    #[test]
    fn what_a_change_cant_meet_stays_closed() {
        crate::testkit::closed_as_said(
            r#"
# Nothing changed.
closed grown_up keeper region visit

# What looks the table up is met; what looks that up isn't.
after region + height integer
closed grown_up visit

# Unless it is called by it.
given keeper/title = "{region_code}"
after region + height integer
closed grown_up

# Or its lookups show something else than titles, which may lead there.
given visit/field.keeper.lookup.show = "{region_code}"
after region + height integer
closed grown_up

# What lists records of the table, and what that points at.
after visit + height integer
closed grown_up

# What joins by it.
after region_helper + height integer
closed grown_up visit

# A word in SQL, whatever it means there.
after keeper.phone -> mobile
closed grown_up

given grown_up/access.guest = { read = true, rows = "last_name <> 'phone'" }
after keeper.phone -> mobile
closed

# What a view reads.
after grown_up + height integer
closed visit

# A new table, and what it refers to.
after gate: id integer key; visit_id integer -> visit
closed grown_up
"#,
        );
    }
}
