//! Names in use: what drafting takes over, so that elements keep their identity.

use super::path;
use crate::definition::{FieldNames, FileKey, Index, Node, Tree};
use crate::name;
use crate::schema::{Schema, Table};
use std::collections::{BTreeMap, BTreeSet};

/// Entity names by table, field names by columns.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NamesInUse {
    entities: BTreeMap<String, String>,
    fields: BTreeMap<String, BTreeMap<Vec<String>, String>>,
    taken_entities: BTreeSet<String>,
    taken_fields: BTreeMap<String, BTreeSet<String>>,
    /// Columns the draft doesn't use: listed in `left_out`, or over which a person deleted the field.
    left_out: BTreeMap<String, Vec<String>>,
    /// Tables whose entity a person deleted.
    deleted: BTreeSet<String>,
    /// Tables that related sets go through.
    joins: BTreeSet<String>,
    /// The keys that were drafted, by table: one that was guessed or chosen for a view stays while its columns are there.
    keys: BTreeMap<String, Vec<String>>,
}

impl NamesInUse {
    /// Names of the definition. What the stored draft has and the definition lacks was deleted by a person: it isn't
    /// drafted, so that nothing else in a draft names it.
    pub fn of(definition: &Tree, stored: &Tree) -> NamesInUse {
        let mut names = NamesInUse::default();
        names.taken_entities.insert("app".to_owned());
        let (yours, drafted) = (Index::of(definition), Index::of(stored));
        // A table with several entities is drafted under the one the draft already had.
        for (entity, known) in &drafted.entities {
            let still = yours.entities.get(entity).is_some_and(|y| name::same(&y.table, &known.table));
            let other = yours.of_table(&known.table).next();
            match other {
                _ if still => names.entities.insert(name::fold(&known.table), entity.clone()),
                Some((other, _)) => names.entities.insert(name::fold(&known.table), other.to_owned()),
                None => {
                    names.deleted.insert(name::fold(&known.table));
                    continue;
                }
            };
        }
        for (entity, known) in &yours.entities {
            names.entities.entry(name::fold(&known.table)).or_insert_with(|| entity.clone());
        }
        for index in [&yours, &drafted] {
            for (entity, known) in &index.entities {
                names.taken_entities.insert(entity.clone());
                let drafted_under = names.entities.get(&name::fold(&known.table)) == Some(entity);
                // A field of the old draft under an entity name that is used for another table says nothing.
                let same_table = yours.entities.get(entity).is_none_or(|y| name::same(&y.table, &known.table));
                if !drafted_under || !same_table {
                    continue;
                }
                for (field, own) in &known.fields {
                    names.joins.extend(own.through.iter().map(|(table, ..)| name::fold(table)));
                    names.taken_fields.entry(entity.clone()).or_default().insert(field.clone());
                    names.fields.entry(entity.clone()).or_default().entry(identity(own)).or_insert_with(|| field.clone());
                }
            }
        }
        for (entity, node) in definition.entities() {
            let left: Vec<String> =
                node.get("left_out").map(Node::strings).unwrap_or_default().iter().map(|c| name::fold(&name::read(c))).collect();
            names.left_out.insert(entity.to_owned(), left);
        }
        for (entity, node) in stored.entities() {
            let key = node.get("key").map(Node::strings).unwrap_or_default().iter().map(|c| name::read(c)).collect();
            names.keys.extend(drafted.table(entity).map(|table| (name::fold(table), key)));
        }
        names.leave_out(&yours, &drafted);
        names
    }

    /// With the keys that were chosen for views: answers to `key/VIEW`, columns joined by commas.
    #[must_use]
    pub fn with_keys(mut self, answers: &BTreeMap<String, String>) -> NamesInUse {
        for (question, choice) in answers {
            if let Some(table) = question.strip_prefix("key/") {
                self.set_key(&name::read_table(table), choice.split(',').map(name::read).collect());
            }
        }
        self
    }

    /// Takes a key over for a table.
    pub fn set_key(&mut self, table: &str, key: Vec<String>) {
        self.keys.insert(name::fold(table), key);
    }

    /// The key that was drafted for a table.
    pub(super) fn key(&self, table: &str) -> Option<&[String]> {
        self.keys.get(&name::fold(table)).map(Vec::as_slice).filter(|key| !key.is_empty())
    }

    /// What the draft has and the definition lacks was deleted by a person.
    fn leave_out(&mut self, yours: &Index, drafted: &Index) {
        for (entity, known) in &drafted.entities {
            let Some(mine) = yours.entities.get(entity).filter(|y| name::same(&y.table, &known.table)) else { continue };
            let used = |column: &String| mine.fields.values().any(|f| f.is_over(column));
            let joined = |f: &&FieldNames| f.through.is_some() && !mine.fields.values().any(|m| identity(m) == identity(f));
            self.left_out.entry(entity.clone()).or_default().extend(known.fields.values().filter(joined).map(|f| identity(f).concat()));
            let gone = known.fields.values().flat_map(|f| &f.columns).filter(|c| !used(c)).map(|c| name::fold(c));
            self.left_out.entry(entity.clone()).or_default().extend(gone);
        }
    }

    /// With a name for every table that has none yet.
    pub fn completed(&self, schema: &Schema, joins: &[&str]) -> NamesInUse {
        let mut names = self.clone();
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

    /// With what is set aside in its place: join tables are in use still, and what a person had left out stays out.
    #[must_use]
    pub fn with_set_aside(mut self, definition: &Tree, stored: &Tree) -> NamesInUse {
        self.leave_out(&Index::of(definition), &Index::of(stored));
        self.joining_as(definition).joining_as(stored)
    }

    fn joining_as(mut self, tree: &Tree) -> NamesInUse {
        let through = |known: &crate::definition::EntityNames| -> Vec<String> {
            known.fields.values().filter_map(|f| f.through.as_ref()).map(|(table, ..)| name::fold(table)).collect()
        };
        self.joins.extend(Index::of(tree).entities.values().flat_map(through));
        self
    }

    /// Whether related sets go through a table.
    pub fn is_join(&self, table: &str) -> bool {
        self.joins.contains(&name::fold(table))
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

    /// Renames the stored draft's entities and fields to the names the definition uses for the same tables and columns.
    pub fn align(stored: &mut Tree, definition: &Tree) {
        let (yours, drafted) = (Index::of(definition), Index::of(stored));
        for (entity, known) in &drafted.entities {
            let Some(mine) = yours.entities.get(entity) else { continue };
            if !name::same(&mine.table, &known.table) {
                continue;
            }
            for (field, known_as) in &known.fields {
                if mine.fields.contains_key(field) {
                    continue;
                }
                let renamed =
                    mine.fields.iter().find(|(name, own)| identity(own) == identity(known_as) && !known.fields.contains_key(*name));
                if let Some((name, _)) = renamed {
                    rename_field(stored, entity, field, name);
                }
            }
        }
    }
}

/// Renames a field everywhere in a tree of values (not of bytes).
fn rename_field(tree: &mut Tree, entity: &str, from: &str, to: &str) {
    let index = Index::of(tree);
    let wanted = crate::definition::Referent::Field { entity: entity.to_owned(), field: from.to_owned() };
    for reference in crate::definition::references(tree, &index, &Schema::default()) {
        if reference.to == wanted
            && !reference.in_key
            && let Some(node) = tree.files.get_mut(&reference.file).and_then(|root| root.at_path_mut(&reference.path))
            && let crate::definition::Value::Text(text) = &mut node.value
        {
            text.replace_range(reference.at, to);
        }
    }
    if let Some(fields) = tree.files.get_mut(&FileKey::Entity(entity.to_owned())).and_then(|root| root.at_path_mut(&path(&["field"])))
        && let crate::definition::Value::Table(entries) = &mut fields.value
    {
        entries.iter_mut().filter(|e| e.key == from).for_each(|e| to.clone_into(&mut e.key));
    }
}

/// What a field is known by: its columns, or its join table and the columns there.
fn identity(field: &FieldNames) -> Vec<String> {
    match &field.through {
        Some((through, here, _)) => super::joins::identity(through, here),
        None => folded(&field.columns),
    }
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

/// The name of a field over a foreign key: the column without its `_id`, or the target of a composite one.
pub(super) fn lookup_name(table: &Table, columns: &[String], target: &str) -> String {
    let [column] = columns else { return entity_name(target) };
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
        let names = NamesInUse::of(&Tree::default(), &Tree::default()).completed(&schema, &[]);
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
