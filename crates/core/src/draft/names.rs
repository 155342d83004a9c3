//! Names in use: what drafting takes over, so that elements keep their identity.

use crate::definition::{Asleep, EntityIndex, KnownField, Node, Tree};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Schema, Table};
use std::collections::{BTreeMap, BTreeSet};

/// Entity names by table, field names by columns. Tables and columns go by the first names they had.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamesInUse {
    /// From the names of now to the first ones.
    pub(super) first: RenameMap,
    /// Entities that aren't open: they aren't drafted.
    pub(super) asleep: Asleep,
    entities: BTreeMap<String, String>,
    fields: BTreeMap<String, BTreeMap<Vec<String>, String>>,
    taken_entities: BTreeSet<String>,
    taken_fields: BTreeMap<String, BTreeSet<String>>,
    /// Columns the draft doesn't use: listed in `left_out`, or over which a person deleted the field.
    left_out: BTreeMap<String, Vec<String>>,
    /// Tables whose entity a person deleted.
    deleted: BTreeSet<String>,
    /// Tables whose entity a merge put in and nobody touched: one that only joins others needs none.
    added: BTreeSet<String>,
    /// Tables that related sets go through.
    joins: BTreeSet<String>,
    /// The keys that were drafted, by table, the first choice first: one that was guessed or chosen for a view stays while its
    /// columns are there.
    keys: BTreeMap<String, Vec<Vec<String>>>,
}

impl Default for NamesInUse {
    /// None but those that no entity can have.
    fn default() -> NamesInUse {
        NamesInUse {
            first: RenameMap::default(),
            asleep: Asleep::default(),
            entities: BTreeMap::new(),
            fields: BTreeMap::new(),
            taken_entities: BTreeSet::from(["app".to_owned()]),
            taken_fields: BTreeMap::new(),
            left_out: BTreeMap::new(),
            deleted: BTreeSet::new(),
            added: BTreeSet::new(),
            joins: BTreeSet::new(),
            keys: BTreeMap::new(),
        }
    }
}

impl NamesInUse {
    /// Names of a definition with everything that is hidden, of which `now` is the index. A table with several entities is
    /// drafted under one that isn't a person's own; one that a merge put in and nobody touched (`is_added`) is no reason to draft one again.
    pub fn of_whole(
        definition: &Tree,
        now: &EntityIndex,
        first: RenameMap,
        is_own: &dyn Fn(&str) -> bool,
        is_added: &dyn Fn(&str) -> bool,
    ) -> NamesInUse {
        let mut names = NamesInUse { first, asleep: definition.asleep.clone(), ..NamesInUse::default() };
        let index = now.renamed(&names.first);
        let (own, drafted): (Vec<_>, Vec<_>) = index.entities.iter().partition(|(entity, _)| is_own(entity));
        for (entity, known) in drafted.iter().chain(&own) {
            names.entities.entry(name::fold(&known.table)).or_insert_with(|| (*entity).clone());
            if is_added(entity) {
                names.added.insert(name::fold(&known.table));
            }
        }
        for (entity, known) in &index.entities {
            names.taken_entities.insert(entity.clone());
            if names.entities.get(&name::fold(&known.table)) != Some(entity) {
                continue;
            }
            for (field, own) in &known.fields {
                names.joins.extend(own.through.iter().map(|(table, ..)| name::fold(table)));
                names.taken_fields.entry(entity.clone()).or_default().insert(field.clone());
                names.fields.entry(entity.clone()).or_default().entry(identity(own)).or_insert_with(|| field.clone());
            }
        }
        for (entity, known) in &now.entities {
            let left_out = match definition.asleep.get(entity) {
                Some(sleeper) => sleeper.left_out.clone(),
                None => definition.entity(entity).and_then(|root| root.get("left_out")).map(Node::strings).unwrap_or_default(),
            };
            let first = |column: &str| names.first.column(&known.table, column).to_owned();
            let (left_out, key): (Vec<String>, Vec<String>) =
                (left_out.iter().map(|c| name::fold(&first(&name::read(c)))).collect(), known.key.iter().map(|c| first(c)).collect());
            names.left_out.insert(entity.clone(), left_out);
            names.keys.extend(index.table(entity).map(|table| (name::fold(table), vec![key])));
        }
        names
    }

    /// Keeps columns (or join tables with their columns) of entities, and tables, out of the draft: by their first names.
    pub fn keep_out<'n>(&mut self, columns: impl IntoIterator<Item = &'n (String, String)>, tables: impl IntoIterator<Item = &'n String>) {
        for (entity, column) in columns {
            self.left_out.entry(entity.clone()).or_default().push(column.clone());
        }
        self.deleted.extend(tables.into_iter().cloned());
    }

    /// What a draft has and the definition lacks was deleted by a person: columns by entity, and tables, as [`keep_out`](Self::keep_out) takes them.
    pub fn deleted(&self, definition: &EntityIndex, draft: &Tree) -> (Vec<(String, String)>, Vec<String>) {
        let (yours, drafted) = (definition.renamed(&self.first), EntityIndex::of(draft).renamed(&self.first));
        let (mut columns, mut tables) = (Vec::new(), Vec::new());
        for (entity, known) in &drafted.entities {
            let Some(mine) = yours.entities.get(entity) else {
                tables.push(name::fold(&known.table));
                continue;
            };
            let used = |column: &String| mine.fields.values().any(|f| f.is_over(column));
            let joined = |f: &&KnownField| f.through.is_some() && !mine.fields.values().any(|m| identity(m) == identity(f));
            columns.extend(known.fields.values().filter(joined).map(|f| (entity.clone(), identity(f).concat())));
            let gone = known.fields.values().flat_map(|f| &f.columns).filter(|c| !used(c));
            columns.extend(gone.map(|c| (entity.clone(), name::fold(c))));
        }
        (columns, tables)
    }

    /// With the keys that were chosen for views: answers to `key/VIEW`, columns joined by commas.
    #[must_use]
    pub fn with_keys(mut self, answers: &BTreeMap<String, String>) -> NamesInUse {
        for (question, choice) in answers {
            if let Some(table) = question.strip_prefix("key/") {
                let key: Vec<String> = choice.split(',').map(name::read).collect();
                self.set_key(&name::read_table(table), &key);
            }
        }
        self
    }

    /// Takes a key over for a table.
    pub fn set_key(&mut self, table: &str, key: &[String]) {
        let (table, key) = self.by_first_names(table, key);
        self.keys.insert(table, vec![key]);
    }

    fn by_first_names(&self, table: &str, key: &[String]) -> (String, Vec<String>) {
        let key = key.iter().map(|c| self.first.column(table, c).to_owned()).collect();
        (name::fold(self.first.table(table)), key)
    }

    /// Another key that was drafted for a table, for where the columns of those before aren't there.
    pub fn add_key(&mut self, table: &str, key: &[String]) {
        let (table, key) = self.by_first_names(table, key);
        self.keys.entry(table).or_default().push(key);
    }

    /// The key that was drafted for a table as it is.
    pub(super) fn key(&self, table: &Table) -> Option<&[String]> {
        let known = self.keys.get(&name::fold(&table.name))?;
        let fits = |key: &&Vec<String>| !key.is_empty() && key.iter().all(|c| table.column(c).is_some());
        known.iter().find(fits).map(Vec::as_slice)
    }

    /// With a name for every table that has none yet.
    pub fn completed(&self, schema: &Schema, joins: &[&str]) -> NamesInUse {
        let mut names = self.clone();
        for join in joins {
            names.entities.remove(&name::fold(join));
        }
        for table in &schema.tables {
            let key = name::fold(&table.name);
            if !names.entities.contains_key(&key)
                && !names.deleted.contains(&key)
                && !names.joins.contains(&key)
                && !joins.contains(&table.name.as_str())
            {
                let entity = free(&entity_name(&table.name), |n| names.taken_entities.contains(n) || is_device(n));
                names.taken_entities.insert(entity.clone());
                names.entities.insert(key, entity);
            }
        }
        names
    }

    /// The entity of a table.
    pub fn entity(&self, table: &str) -> Option<&str> {
        self.entities.get(&name::fold(table)).map(String::as_str)
    }

    /// Whether related sets go through a table.
    pub fn is_join(&self, table: &str) -> bool {
        self.joins.contains(&name::fold(table))
    }

    /// Whether a table may be one that only joins others: it has no entity, or one that a merge put in and nobody touched.
    pub(super) fn may_join(&self, table: &str) -> bool {
        self.entity(table).is_none() || self.added.contains(&name::fold(table))
    }

    /// The field in use over these columns, or with this identity.
    pub(super) fn field(&self, entity: &str, identity: &[String]) -> Option<String> {
        self.fields.get(entity)?.get(identity).cloned()
    }

    /// Whether a field's name is in use.
    pub(super) fn is_taken(&self, entity: &str, field: &str) -> bool {
        self.taken_fields.get(entity).is_some_and(|t| t.contains(field))
    }

    /// Whether the draft doesn't use a column.
    pub fn is_left_out(&self, entity: &str, column: &str) -> bool {
        self.left_out.get(entity).is_some_and(|l| l.contains(&name::fold(column)))
    }

    /// The columns of an entity that the draft doesn't use.
    pub(super) fn left_out_of(&self, entity: &str) -> &[String] {
        self.left_out.get(entity).map(Vec::as_slice).unwrap_or_default()
    }

    /// The fields of a table: each group of columns under its name in use, or a free one near `wanted`.
    pub fn fields(&self, entity: &str, groups: &[(Vec<String>, String)]) -> Vec<String> {
        let known = self.fields.get(entity);
        let mut taken = self.taken_fields.get(entity).cloned().unwrap_or_default();
        groups
            .iter()
            .map(|(columns, wanted)| match known.and_then(|k| k.get(&folded(columns))) {
                Some(name) => name.clone(),
                None => {
                    let name = free(wanted, |n| taken.contains(n));
                    taken.insert(name.clone());
                    name
                }
            })
            .collect()
    }
}

/// What a field is known by: its columns, or its join table and the columns there.
fn identity(field: &KnownField) -> Vec<String> {
    match &field.through {
        Some((through, here, _)) => link_identity(through, here),
        None => folded(&field.columns),
    }
}

/// What names in use know a related set by.
pub(super) fn link_identity(through: &str, here: &[String]) -> Vec<String> {
    let columns: Vec<String> = here.iter().map(|c| name::fold(c)).collect();
    vec![format!("{}\u{1f}{}", name::fold(through), columns.join("\u{1f}"))]
}

fn folded(columns: &[String]) -> Vec<String> {
    columns.iter().map(|c| name::fold(c)).collect()
}

/// The first of `wanted`, `wanted_2`, `wanted_3`… that isn't taken.
pub(super) fn free(wanted: &str, taken: impl Fn(&str) -> bool) -> String {
    std::iter::once(wanted.to_owned()).chain((2..).map(|n| format!("{wanted}_{n}"))).find(|n| !taken(n)).unwrap_or_default()
}

/// Longer names are cut, in bytes: with an ending and a number a file system takes them all.
const LONGEST: usize = 120;

/// Lower-cased, anything but letters, digits, `_` and `-` as `_`; a `-` in front would mean a descending order. Cut
/// where a file system would refuse it.
pub(super) fn entity_name(table: &str) -> String {
    let plain = |(at, c): (usize, char)| if c.is_alphanumeric() || c == '_' || (c == '-' && at > 0) { c } else { '_' };
    let mut name: String = table.to_lowercase().chars().enumerate().map(plain).collect();
    while name.len() > LONGEST {
        name.pop();
    }
    if name.is_empty() { "_".to_owned() } else { name }
}

/// Names that some systems take for devices, whatever ending they have: no files can be called so.
fn is_device(name: &str) -> bool {
    let numbered = |word: &str| name.strip_prefix(word).is_some_and(|n| n.len() == 1 && n.chars().all(|c| c.is_ascii_digit()));
    matches!(name, "con" | "prn" | "aux" | "nul") || numbered("com") || numbered("lpt")
}

/// The name that the generator gives the field over a column, taken names aside.
pub fn wanted_name(table: &Table, column: &str, is_lookup: bool) -> String {
    if is_lookup { lookup_name(table, &[column.to_owned()], "") } else { entity_name(column) }
}

/// The name of a field over a foreign key: the column without its `_id`, or the target of a composite one, with the word that all its
/// columns begin with: `from_port` and `to_port`.
pub(super) fn lookup_name(table: &Table, columns: &[String], target: &str) -> String {
    let [column] = columns else {
        let first = |column: &String| name::words(column).into_iter().next().filter(|first| !name::same(first, column));
        let shared = columns.first().and_then(first).filter(|word| columns.iter().all(|c| first(c).as_ref() == Some(word)));
        let own = name::split_qualified(target).1;
        return match shared.filter(|word| !name::words(own).contains(word)) {
            Some(word) => entity_name(&format!("{word}_{own}")),
            None => entity_name(target),
        };
    };
    let lower = entity_name(column);
    let stem = lower.strip_suffix("_id").or_else(|| lower.strip_suffix("_no").filter(|s| table.column(s).is_none()));
    stem.filter(|s| !s.is_empty()).map_or(lower.clone(), str::to_owned)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::schema::{Engine, Table};

    #[test]
    fn every_table_gets_a_name_that_a_file_and_a_sort_can_have() {
        let long = "ü".repeat(300);
        let tables = ["Apiary", "two words", "a/b", "-x", "CON", "nul", "com1", "com10", "..", "app", &long, &format!("{long}x"), "a.b"];
        let table = |name: &&str| Table { name: (*name).to_owned(), ..Table::default() };
        let schema = Schema::new(Engine::Sqlite, tables.iter().map(table).collect());
        let names = NamesInUse::default().completed(&schema, &[]);
        let entities: Vec<&str> = tables.iter().map(|t| names.entity(t).unwrap()).collect();
        let cut = "ü".repeat(60);
        let second = format!("{cut}_2");
        let expected = ["apiary", "two_words", "a_b_2", "_x", "con_2", "nul_2", "com1_2", "com10", "__", "app_2"];
        assert_eq!(entities[..10], expected);
        assert!([cut.as_str(), second.as_str()].iter().all(|n| entities.contains(n)), "{entities:?}");
        let different: BTreeSet<&&str> = entities.iter().collect();
        assert_eq!(different.len(), entities.len());
    }
}
