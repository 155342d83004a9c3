//! Names in use: what drafting takes over, so that elements keep their identity.

use crate::definition::{Asleep, EntityIndex, KnownEntity, KnownField, Node, Tree};
use crate::name;
use crate::rename::RenameMap;
use crate::schema::{Schema, Table};
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;

/// Entity names by table, field names by columns. Tables and columns go by the first names they had. A copy shares what is large.
#[derive(Debug, Clone, Default)]
pub struct NamesInUse {
    /// From the names of now to the first ones.
    pub(super) first: RenameMap,
    /// Entities that aren't open: they aren't drafted.
    pub(super) asleep: Asleep,
    /// What the definition's entities are over, under the first names.
    known: Arc<EntityIndex>,
    /// By table: the entity that is drafted of it.
    entities: Arc<BTreeMap<String, String>>,
    /// Columns the draft doesn't use: listed in `left_out`, or over which a person deleted the field.
    left_out: BTreeMap<String, Vec<String>>,
    /// Tables whose entity a person deleted.
    deleted: BTreeSet<String>,
    /// Tables whose entity a merge put in and nobody touched: one that only joins others needs none.
    added: BTreeSet<String>,
    /// Tables that related sets go through.
    joins: BTreeSet<String>,
    /// Other keys that were drafted or chosen, by table, the first choice first: one that was guessed or chosen for a view stays while
    /// its columns are there.
    keys: BTreeMap<String, Vec<Vec<String>>>,
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
        let known = now.renamed(&first);
        let mut names = NamesInUse { first, asleep: definition.asleep.clone(), ..NamesInUse::default() };
        let mut by_table: BTreeMap<String, String> = BTreeMap::new();
        let (own, drafted): (Vec<_>, Vec<_>) = known.entities.iter().partition(|(entity, _)| is_own(entity));
        for (entity, known) in drafted.iter().chain(&own) {
            let table = name::fold(&known.table);
            if is_added(entity) {
                names.added.insert(table.clone());
            }
            by_table.entry(table).or_insert_with(|| (*entity).clone());
        }
        for known in by_table.values().filter_map(|entity| known.entities.get(entity)) {
            names.joins.extend(known.fields.values().filter_map(|own| own.through.as_ref()).map(|(table, ..)| name::fold(table)));
        }
        for (entity, known) in &now.entities {
            let left_out = match definition.asleep.get(entity) {
                Some(sleeper) => sleeper.left_out.clone(),
                None => definition.entity(entity).and_then(|root| root.get("left_out")).map(Node::strings).unwrap_or_default(),
            };
            if !left_out.is_empty() {
                let first = |column: &String| name::fold(names.first.column(&known.table, &name::read(column)));
                names.left_out.insert(entity.clone(), left_out.iter().map(first).collect());
            }
        }
        names.entities = Arc::new(by_table);
        names.known = Arc::new(known);
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
        let own = self.own_key(&table).map(<[String]>::to_vec);
        self.keys.entry(table).or_insert_with(|| own.into_iter().collect()).push(key);
    }

    /// The key that stands in the definition for what is drafted of a table, by its folded name.
    fn own_key(&self, table: &str) -> Option<&[String]> {
        self.known(self.entities.get(table)?).map(|known| known.key.as_slice())
    }

    /// The key that was drafted for a table as it is.
    pub(super) fn key(&self, table: &Table) -> Option<&[String]> {
        let folded = name::fold(&table.name);
        let fits = |key: &&[String]| !key.is_empty() && key.iter().all(|c| table.column(c).is_some());
        match self.keys.get(&folded) {
            Some(keys) => keys.iter().map(Vec::as_slice).find(fits),
            None => self.own_key(&folded).filter(fits),
        }
    }

    /// With a name for every table that has none yet.
    pub fn completed(&self, schema: &Schema, joins: &[&str]) -> NamesInUse {
        let mut names = self.clone();
        for join in joins.iter().map(|join| name::fold(join)).filter(|join| self.entities.contains_key(join)) {
            Arc::make_mut(&mut names.entities).remove(&join);
        }
        let joins: HashSet<&str> = joins.iter().copied().collect();
        let mut new: HashSet<String> = HashSet::new();
        for table in &schema.tables {
            let key = name::fold(&table.name);
            if !names.entities.contains_key(&key)
                && !names.deleted.contains(&key)
                && !names.joins.contains(&key)
                && !joins.contains(table.name.as_str())
            {
                let is_taken = |n: &str| n == NO_ENTITY || self.known.entities.contains_key(n) || new.contains(n) || is_device(n);
                let entity = free(&entity_name(&table.name), is_taken);
                new.insert(entity.clone());
                Arc::make_mut(&mut names.entities).insert(key, entity);
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

    /// What stands in the definition of an entity that is drafted.
    fn known(&self, entity: &str) -> Option<&KnownEntity> {
        self.known.entities.get(entity).map(|known| &**known)
    }

    /// The field in use over these columns, or with this identity.
    pub(super) fn field(&self, entity: &str, with: &[String]) -> Option<String> {
        let fields = &self.known(entity)?.fields;
        fields.iter().find(|(_, field)| identity(field) == with).map(|(field, _)| field.clone())
    }

    /// Whether a field's name is in use.
    pub(super) fn is_taken(&self, entity: &str, field: &str) -> bool {
        self.known(entity).is_some_and(|known| known.fields.contains_key(field))
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
        let known = self.known(entity);
        let mut by_columns: HashMap<Vec<String>, &String> = HashMap::new();
        for (name, field) in known.into_iter().flat_map(|known| &known.fields) {
            by_columns.entry(identity(field)).or_insert(name);
        }
        let mut new: BTreeSet<String> = BTreeSet::new();
        groups
            .iter()
            .map(|(columns, wanted)| match by_columns.get(&folded(columns)) {
                Some(name) => (*name).clone(),
                None => {
                    let name = free(wanted, |n| new.contains(n) || self.is_taken(entity, n));
                    new.insert(name.clone());
                    name
                }
            })
            .collect()
    }
}

/// The application's own file is called so: no entity is.
const NO_ENTITY: &str = "app";

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
