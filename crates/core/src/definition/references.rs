//! Everything the definition names: which tables, columns, fields and entities stand where.
//!
//! One walk over the [`Shape`] serves renaming, setting aside and checking.

use super::known::KnownEntity;
use super::{FileKey, Node, Role, Seg, Shape, Tree, shape_of};
use crate::name;
use crate::schema::Schema;
use crate::sql;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::Arc;

/// What a name refers to.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Referent {
    /// A table or view.
    Table(String),
    /// A column of a table.
    Column {
        /// The table.
        table: String,
        /// The column.
        column: String,
    },
    /// A field of an entity.
    Field {
        /// The entity.
        entity: String,
        /// The field.
        field: String,
    },
    /// An entity.
    Entity(String),
    /// A page of an entity.
    Page {
        /// The entity.
        entity: String,
        /// The page.
        page: String,
    },
    /// A routine of the database.
    Routine(String),
    /// SQL that can't be analysed with certainty: it may name anything.
    Doubtful,
}

/// A name at its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reference {
    /// The file.
    pub file: FileKey,
    /// The value in it.
    pub path: Vec<Seg>,
    /// The name's bytes in the value's text.
    pub at: Range<usize>,
    /// Whether it is the key of the value that is the name.
    pub in_key: bool,
    /// What it refers to.
    pub to: Referent,
}

/// Entities by name.
#[derive(Debug, Clone, Default)]
pub struct EntityIndex {
    /// By entity name.
    pub entities: BTreeMap<String, Arc<KnownEntity>>,
}

impl EntityIndex {
    /// Reads the names in use from a tree; those of entities that aren't open too.
    pub fn of(tree: &Tree) -> EntityIndex {
        let files: Vec<(&str, &Node)> = tree.entities().collect();
        let known = |(name, node): (&str, &Node)| (name.to_owned(), Arc::new(KnownEntity::of(node)));
        let read: Vec<(String, Arc<KnownEntity>)> = files.into_par_iter().map(known).collect();
        let asleep = tree.asleep.iter().map(|(name, sleeper)| (name.to_owned(), Arc::clone(&sleeper.known)));
        EntityIndex { entities: asleep.chain(read).collect() }
    }

    /// The table of an entity.
    pub fn table(&self, entity: &str) -> Option<&str> {
        self.entities.get(entity).map(|e| e.table.as_str())
    }

    /// The entity a field's lookup points at.
    pub fn target(&self, entity: &str, field: &str) -> Option<&str> {
        self.entities.get(entity)?.fields.get(field)?.target.as_deref()
    }

    /// The same entities over tables under other names.
    pub fn renamed(&self, map: &crate::rename::RenameMap) -> EntityIndex {
        let mut index = self.clone();
        index.entities.values_mut().for_each(|entity| KnownEntity::rename(entity, map));
        index
    }

    /// The entities of a table.
    pub fn of_table<'a>(&'a self, table: &'a str) -> impl Iterator<Item = (&'a str, &'a KnownEntity)> {
        self.entities.iter().filter(move |(_, e)| name::same(&e.table, table)).map(|(n, e)| (n.as_str(), &**e))
    }
}

/// Every name in the definition. SQL is resolved against `schema`, which must carry the names the tree uses.
pub fn references(tree: &Tree, index: &EntityIndex, schema: &Schema) -> Vec<Reference> {
    let files: Vec<(&FileKey, &Node)> = tree.files.iter().collect();
    files.into_par_iter().flat_map_iter(|(file, node)| references_in(file, node, index, schema)).collect()
}

/// Every name in one file.
pub fn references_in(file: &FileKey, root: &Node, index: &EntityIndex, schema: &Schema) -> Vec<Reference> {
    let mut all = Vec::new();
    each_reference(file, root, index, schema, &mut |path, at, in_key, to| {
        all.push(Reference { file: file.clone(), path: path.to_vec(), at, in_key, to });
    });
    all
}

/// What is done with a name: its value's path, its bytes in the value's text, whether it is the value's key, and what it refers to.
pub type Found<'f> = dyn FnMut(&[Seg], Range<usize>, bool, Referent) + 'f;

/// Calls with every name in one file.
pub fn each_reference(file: &FileKey, root: &Node, index: &EntityIndex, schema: &Schema, found: &mut Found<'_>) {
    let mut walk = Walk { file, index, schema, found, path: Vec::new(), around: Vec::new(), results: BTreeMap::new() };
    walk.node(root, shape_of(file));
}

struct Walk<'a> {
    file: &'a FileKey,
    index: &'a EntityIndex,
    schema: &'a Schema,
    found: &'a mut Found<'a>,
    path: Vec<Seg>,
    /// What the records around name as `entity` and `through`.
    around: Vec<(Option<String>, Option<String>)>,
    /// By entity: the columns of the query that stands in for its table, where they can be told.
    results: BTreeMap<String, Option<Vec<sql::ResultColumn>>>,
}

impl Walk<'_> {
    fn node(&mut self, node: &Node, shape: &'static Shape) {
        match shape {
            Shape::Record(_) => self.record(node, shape),
            Shape::Named(_) | Shape::ByField(_) => {
                for entry in node.entries() {
                    if let Some(child) = shape.child(&entry.key) {
                        self.path.push(Seg::Key(entry.key.clone()));
                        if matches!(shape, Shape::ByField(_)) {
                            let to = Referent::Field { entity: self.entity().to_owned(), field: entry.key.clone() };
                            (self.found)(&self.path, 0..0, true, to);
                        }
                        self.node(&entry.node, child);
                        self.path.pop();
                    }
                }
            }
            Shape::Records { keys, .. } => {
                for (at, item) in node.items().iter().enumerate() {
                    self.path.push(Seg::Index(at));
                    self.enter(item);
                    for key in *keys {
                        if let Some(child) = item.get(key.name) {
                            self.path.push(key.name.into());
                            self.node(child, &key.shape);
                            self.path.pop();
                        }
                    }
                    self.around.pop();
                    self.path.pop();
                }
            }
            Shape::Name(role) => self.name(node, *role),
            Shape::Names(role) | Shape::Set(role) => {
                for (at, item) in node.items().iter().enumerate() {
                    self.path.push(Seg::Index(at));
                    self.name(item, *role);
                    self.path.pop();
                }
            }
            Shape::Template { of_target } => self.template(node, *of_target),
            Shape::Condition { of_target } => self.condition(node, *of_target),
            Shape::Statement => self.statement(node),
            Shape::Bool | Shape::Int | Shape::Text | Shape::Scalar | Shape::Word(_) => {}
        }
    }

    fn record(&mut self, node: &Node, shape: &'static Shape) {
        self.enter(node);
        for entry in node.entries() {
            if let Some(child) = shape.child(&entry.key) {
                self.path.push(Seg::Key(entry.key.clone()));
                self.node(&entry.node, child);
                self.path.pop();
            }
        }
        self.around.pop();
    }

    /// Notes what a record names for the names inside it.
    fn enter(&mut self, node: &Node) {
        let text = |key: &str| node.get(key).and_then(Node::as_text).map(str::to_owned);
        self.around.push((text("entity"), text("through").map(|t| name::read_table(&t))));
    }

    fn push(&mut self, at: Range<usize>, to: Referent) {
        (self.found)(&self.path, at, false, to);
    }

    fn entity(&self) -> &str {
        self.file.name()
    }

    /// The entity that the lookup, related set or child list around this place points at.
    fn target(&self) -> Option<String> {
        if let Some(entity) = self.around.last().and_then(|(entity, _)| entity.clone()) {
            return Some(entity);
        }
        match self.path.as_slice() {
            [Seg::Key(_), Seg::Key(field), ..] => self.index.target(self.entity(), field).map(str::to_owned),
            _ => None,
        }
    }

    /// The join table of the related set around this place.
    fn through(&self) -> Option<String> {
        if let Some(through) = self.around.last().and_then(|(_, through)| through.clone()) {
            return Some(through);
        }
        match self.path.as_slice() {
            [Seg::Key(_), Seg::Key(field), ..] => {
                self.index.entities.get(self.entity())?.fields.get(field)?.through.as_ref().map(|(table, ..)| table.clone())
            }
            _ => None,
        }
    }

    /// What a column of an entity is: of its table, or passed through by the query that stands in for it; nothing
    /// where the query itself names it.
    fn column_of(&mut self, entity: &str, column: &str) -> Option<Referent> {
        let known = self.index.entities.get(entity)?;
        let own = Referent::Column { table: known.table.clone(), column: column.to_owned() };
        let Some(select) = &known.select else { return Some(own) };
        let schema = self.schema;
        let results = self.results.entry(entity.to_owned()).or_insert_with(|| sql::projection(select, schema));
        let Some(results) = results else {
            return schema.table(&known.table).is_some_and(|t| t.reads(column)).then_some(own);
        };
        // Where the query gives something of its own under the name of a column, that is meant.
        let mut named = results.iter().filter(|c| name::same(&c.name, column)).peekable();
        if named.peek().is_none() {
            return Some(own);
        }
        let from: Option<Vec<_>> = named.map(|found| found.from.clone()).collect();
        from.and_then(|from| from.into_iter().next()).map(|(table, column)| Referent::Column { table, column })
    }

    fn name(&mut self, node: &Node, role: Role) {
        let Some(text) = node.as_text() else { return };
        let whole = 0..text.len();
        let entity = self.entity().to_owned();
        match role {
            Role::Table => self.push(whole, Referent::Table(name::read_table(text))),
            Role::Column => {
                if let Some(to) = self.column_of(&entity, &name::read(text)) {
                    self.push(whole, to);
                }
            }
            Role::TargetColumn => {
                if let Some(to) = self.target().and_then(|target| self.column_of(&target, &name::read(text))) {
                    self.push(whole, to);
                }
            }
            Role::ThroughColumn => {
                if let Some(table) = self.through() {
                    self.push(whole, Referent::Column { table, column: name::read(text) });
                }
            }
            Role::TargetField => {
                if let Some(entity) = self.target() {
                    self.push(whole, Referent::Field { entity, field: text.to_owned() });
                }
            }
            Role::Routine => self.push(whole, Referent::Routine(name::read_table(text))),
            Role::Word(_) => {}
            Role::Field => self.push(whole, Referent::Field { entity, field: text.to_owned() }),
            Role::SortField | Role::TargetSortField => {
                let entity = if role == Role::SortField { Some(entity) } else { self.target() };
                if let Some(entity) = entity {
                    let field = text.strip_prefix('-').unwrap_or(text);
                    self.push(text.len() - field.len()..text.len(), Referent::Field { entity, field: field.to_owned() });
                }
            }
            Role::Entity => self.push(whole, Referent::Entity(text.to_owned())),
            Role::MenuItem => match text.split_once('/') {
                Some((entity, page)) => {
                    self.push(0..entity.len(), Referent::Entity(entity.to_owned()));
                    self.push(entity.len() + 1..text.len(), Referent::Page { entity: entity.to_owned(), page: page.to_owned() });
                }
                None => self.push(whole, Referent::Entity(text.to_owned())),
            },
            Role::Page => self.push(whole, Referent::Page { entity, page: text.to_owned() }),
        }
    }

    fn template(&mut self, node: &Node, of_target: bool) {
        let Some(text) = node.as_text() else { return };
        let entity = if of_target { self.target() } else { Some(self.entity().to_owned()) };
        let Some(entity) = entity else { return };
        for (field, at, of) in sql::parse_template(text).fields() {
            self.push(at, Referent::Field { entity: entity.clone(), field: field.to_owned() });
            if let Some((inner, inner_at)) = of
                && let Some(target) = self.index.target(&entity, field).map(str::to_owned)
            {
                self.push(inner_at.clone(), Referent::Field { entity: target, field: inner.clone() });
            }
        }
    }

    fn condition(&mut self, node: &Node, of_target: bool) {
        let Some(text) = node.as_text() else { return };
        let entity = if of_target { self.target() } else { Some(self.entity().to_owned()) };
        let Some(known) = entity.and_then(|e| self.index.entities.get(&e)) else { return };
        self.sql(text, known.scope());
    }

    fn statement(&mut self, node: &Node) {
        let (Some(text), Some(known)) = (node.as_text(), self.index.entities.get(self.entity())) else { return };
        self.sql(text, sql::Scope::Statement { table: &known.table });
        for (at, parameter) in sql::parameters(text, self.schema.engine) {
            let start = at + 1;
            if let Some(column) = parameter.strip_prefix("key_").filter(|c| name::contains(&known.key, c)) {
                let to = Referent::Column { table: known.table.clone(), column: column.to_owned() };
                self.push(start + "key_".len()..start + parameter.len(), to);
            } else if known.fields.contains_key(&parameter) {
                self.push(start..start + parameter.len(), Referent::Field { entity: self.entity().to_owned(), field: parameter });
            }
        }
    }

    fn sql(&mut self, text: &str, scope: sql::Scope<'_>) {
        let analysis = sql::analyse(text, scope, self.schema);
        if !analysis.certain {
            self.push(0..text.len(), Referent::Doubtful);
        }
        for named in analysis.names {
            match named.target {
                sql::Target::Column { table, column } => self.push(named.at, Referent::Column { table, column }),
                sql::Target::Table(table) => self.push(named.at, Referent::Table(table)),
                sql::Target::Missing { table: Some(table), name, is_table: false } => {
                    self.push(named.at, Referent::Column { table, column: name });
                }
                sql::Target::Missing { name, is_table: true, .. } => self.push(named.at, Referent::Table(name)),
                sql::Target::Missing { .. } | sql::Target::Ambiguous(_) => {}
            }
        }
    }
}
