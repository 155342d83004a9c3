//! What every merge of a walk upholds beyond the bytes, as real databases judge it: what is refused is told, no role reads a record
//! more, an undo gives back every file, and what mentions nothing affected is as it was.

use crate::agreement::refused;
use crate::model::{Column, Database};
use crate::support::copy_folder;
use rusqlite::Connection;
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;
use ysomorph_core::definition::{Model, Node, Tree};
use ysomorph_core::merge::Outcome;
use ysomorph_core::name;
use ysomorph_workspace::{By, Workspace};

/// How many records each table has.
const RECORDS: usize = 6;

/// Records that every state of a database has alike: a column that returns, or has another type, has the values it had. Without
/// types and constraints, which would change what there can be.
fn with_records(database: &Database) -> Connection {
    let connection = Connection::open_in_memory().unwrap();
    for table in &database.tables {
        let name = name::quoted(&table.name);
        // In brackets a column that isn't there is an error, and no text.
        let quoted = |c: &Column| format!("[{}]", c.name);
        let names: Vec<String> = std::iter::once("id".to_owned()).chain(table.columns.iter().map(quoted)).collect();
        let sql = match &table.view_of {
            Some(of) => format!("CREATE VIEW {name} AS SELECT {} FROM {}", names.join(", "), name::quoted(of)),
            None => format!("CREATE TABLE {name} ({})", names.join(", ")),
        };
        connection.execute_batch(&sql).unwrap();
        for record in (1..=RECORDS).filter(|_| table.view_of.is_none()) {
            let value = |column: &Column| match (column.uid * 31 + record * 7) % 5 {
                0 => ", NULL".to_owned(),
                n => format!(", {n}"),
            };
            let values: String = table.columns.iter().map(value).collect();
            connection.execute_batch(&format!("INSERT INTO {name} VALUES ({record}{values})")).unwrap();
        }
    }
    connection
}

/// The records that each role may read, by role and entity, with the filter that says so.
fn readable(tree: &Tree, database: &Database) -> BTreeMap<(String, String), (BTreeSet<i64>, Option<String>)> {
    let connection = with_records(database);
    let model = Model::of(tree);
    let mut all = BTreeMap::new();
    for entity in model.entities.values() {
        for access in entity.access.iter().filter(|a| a.read) {
            let filter = access.rows.as_ref().map(|r| r.value.clone());
            let sql = format!("SELECT id FROM {} WHERE {}", name::quoted(&entity.table.value), filter.as_deref().unwrap_or("1 = 1"));
            let Ok(mut statement) = connection.prepare(&sql) else { continue };
            for at in 1..=statement.parameter_count() {
                statement.raw_bind_parameter(at, 3).unwrap();
            }
            let mut rows = statement.raw_query();
            let mut records = BTreeSet::new();
            while let Ok(Some(row)) = rows.next() {
                records.insert(row.get::<_, Option<i64>>(0).unwrap().unwrap_or_default());
            }
            all.insert((access.role.clone(), entity.name.clone()), (records, filter));
        }
    }
    all
}

/// Every file of a workspace but for its history and its lock.
fn files(root: &Path) -> BTreeMap<String, String> {
    let mut all = BTreeMap::new();
    let mut folders = vec![root.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(&folder).unwrap().flatten() {
            let path = entry.path();
            let name = path.strip_prefix(root).unwrap().to_string_lossy().into_owned();
            if path.is_dir() {
                folders.push(path);
            } else if !name.starts_with(".ysomorph/merges") && name != ".ysomorph/lock" {
                all.insert(name, std::fs::read_to_string(&path).unwrap());
            }
        }
    }
    all
}

/// A workspace before a merge.
pub struct Before {
    tree: Tree,
    files: BTreeMap<String, String>,
    entries: usize,
    database: Database,
}

fn entries(root: &Path) -> usize {
    std::fs::read_dir(root.join(".ysomorph/merges")).map_or(0, Iterator::count)
}

impl Before {
    pub fn of(root: &Path, database: &Database) -> Before {
        let tree = Workspace::open(root).unwrap().tree;
        Before { tree, files: files(root), entries: entries(root), database: database.clone() }
    }

    /// Looks at a merge that was just made.
    pub fn assert_upheld(&self, root: &Path, outcome: &Outcome, now: &Database) {
        let told: BTreeSet<(String, String)> = outcome
            .breaks_left(&now.schema())
            .into_iter()
            .flat_map(|f| f.pages.iter().map(|p| (f.entity.clone().unwrap_or_default(), p.clone())).collect::<Vec<_>>())
            .collect();
        let untold: Vec<_> = refused(&outcome.tree, &outcome.accepted, &now.open())
            .into_iter()
            .filter(|at| !at.1.is_empty() && !told.contains(at))
            .collect();
        assert!(untold.is_empty(), "the database refuses pages that the merge doesn't list: {untold:?}");
        self.assert_not_readable(outcome, now);
        self.assert_untouched(root, outcome);
        if entries(root) > self.entries {
            self.assert_undone(root);
        }
    }

    fn assert_not_readable(&self, outcome: &Outcome, now: &Database) {
        let before = readable(&self.tree, &self.database);
        for ((role, entity), (records, filter)) in readable(&outcome.tree, now) {
            let returned = |part: &ysomorph_core::merge::Element| {
                part.file.name() == entity && (part.steps.is_empty() || part.key_at(0) == Some("access"))
            };
            match before.get(&(role.clone(), entity.clone())) {
                // What stood in for a filter may give way to it again, never to none.
                Some((_, Some(stood_in))) if stood_in == "1 = 0" && filter.is_some() => {}
                Some((had, was)) => {
                    let more: Vec<&i64> = records.difference(had).collect();
                    assert!(more.is_empty(), "{role} reads {more:?} of {entity} besides, by {filter:?} instead of {was:?}");
                }
                None => {}
            }
            let is_new = !self.tree.entities().any(|(e, _)| e == entity);
            let known =
                before.contains_key(&(role.clone(), entity.clone())) || is_new || outcome.restored.iter().any(|p| returned(&p.element));
            let read = |tree: &Tree| Model::of(tree).entities.get(&entity).is_some_and(|e| e.access_of(&role).is_some_and(|a| a.read));
            assert!(known || read(&self.tree), "{role} reads {entity}, and didn't before");
        }
    }

    /// A file that names nothing of what changed, of what changed tables point at, and of what is over them, is as it was.
    fn assert_untouched(&self, root: &Path, outcome: &Outcome) {
        let mut words: BTreeSet<String> = BTreeSet::new();
        for change in &outcome.comparison.changes {
            words.extend([Some(&change.table), change.column.as_ref(), change.to.as_ref()].into_iter().flatten().map(|n| name::fold(n)));
        }
        // Titles are made of the titles of what is pointed at, and sets of what a join table points at.
        let linked: Vec<String> = words.iter().cloned().collect();
        let schemas = [self.database.schema(), outcome.accepted.clone()];
        for table in schemas.iter().flat_map(|s| &s.tables) {
            let targets: Vec<String> = table.foreign_keys.iter().map(|key| name::fold(&key.table)).collect();
            if linked.contains(&name::fold(&table.name)) || targets.iter().any(|t| linked.contains(t)) {
                words.extend(targets);
                words.insert(name::fold(&table.name));
            }
        }
        let now = files(root);
        let trees = [&self.tree, &outcome.tree];
        let over = trees
            .iter()
            .flat_map(|t| t.entities())
            .filter(|(_, e)| e.get("table").and_then(|t| t.as_text()).is_some_and(|t| words.contains(&name::fold(&name::read(t)))));
        let mut over: BTreeSet<String> = over.map(|(entity, _)| name::fold(entity)).collect();
        // Titles are made of titles, as deep as they go.
        while let Some(more) = trees.iter().flat_map(|t| t.entities()).find(|(entity, root)| {
            let fields = root.get("field").map(Node::entries).unwrap_or_default();
            let target = |f: &ysomorph_core::definition::Entry| Some(name::fold(f.node.get("lookup")?.get("entity")?.as_text()?));
            !over.contains(&name::fold(entity)) && fields.iter().filter_map(target).any(|t| over.contains(&t))
        }) {
            over.insert(name::fold(more.0));
        }
        words.extend(over);
        for (file, text) in self.files.iter().filter(|(f, _)| f.starts_with("app/") && f.ends_with(".toml") && *f != "app/app.toml") {
            let entity = file.trim_start_matches("app/").trim_end_matches(".toml");
            let list = self.files.iter().find(|(f, _)| f.starts_with(&format!(".ysomorph/kept/{entity}."))).map_or("", |(_, l)| l);
            let mentions = |text: &str| words.iter().any(|w| name::fold(text).contains(w.as_str()));
            if words.contains(&name::fold(entity)) || mentions(text) || mentions(list) {
                continue;
            }
            assert!(now.get(file) == Some(text), "{file} mentions nothing of {words:?} and was written");
        }
    }

    /// Undone in a copy, every file is as it was.
    fn assert_undone(&self, root: &Path) {
        let place = tempfile::tempdir().unwrap();
        copy_folder(root, place.path());
        Workspace::open(place.path()).unwrap().undo(None, &By::default()).unwrap_or_else(|e| panic!("{e}"));
        let back = files(place.path());
        // Answers are there again for the merge that is made anew.
        for file in self.files.keys().chain(back.keys()).filter(|f| *f != "decisions.toml") {
            let (was, is) = (self.files.get(file), back.get(file));
            let text = |t: Option<&String>| t.cloned().unwrap_or_default();
            let diff = crate::support::similar_diff(&text(was), &text(is));
            assert!(was == is, "{file} isn't what it was before the merge that was undone:\n{diff}");
        }
    }
}
