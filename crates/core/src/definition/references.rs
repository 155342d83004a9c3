//! Everything the definition names: which tables, columns, fields and entities stand where.
//!
//! One walk over the [`Shape`] serves renaming, setting aside and checking.

use super::{FileKey, Node, Role, Seg, Shape, Tree, shape_of};
use crate::name;
use crate::schema::Schema;
use crate::sql;
use std::collections::BTreeMap;
use std::ops::Range;

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
    /// What it refers to.
    pub to: Referent,
}

/// What the walk has to know of an entity to say what a name in another place means.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct EntityNames {
    /// Its table, as names compare.
    pub table: String,
    /// Its key columns.
    pub key: Vec<String>,
    /// Fields with their columns and the entity a lookup points at.
    pub fields: BTreeMap<String, (Vec<String>, Option<String>)>,
}

/// Entities by name.
#[derive(Debug, Clone, Default)]
pub struct Index {
    /// By entity name.
    pub entities: BTreeMap<String, EntityNames>,
}

impl Index {
    /// Reads the names in use from a tree.
    pub fn of(tree: &Tree) -> Index {
        Index { entities: tree.entities().map(|(name, node)| (name.to_owned(), EntityNames::of(node))).collect() }
    }

    /// The table of an entity.
    pub fn table(&self, entity: &str) -> Option<&str> {
        self.entities.get(entity).map(|e| e.table.as_str())
    }

    /// The entity a field's lookup points at.
    pub fn target(&self, entity: &str, field: &str) -> Option<&str> {
        self.entities.get(entity)?.fields.get(field)?.1.as_deref()
    }

    /// The same entities over tables under other names.
    pub fn renamed(&self, map: &crate::rename::RenameMap) -> Index {
        let mut index = self.clone();
        for entity in index.entities.values_mut() {
            let old = entity.table.clone();
            for columns in entity.fields.values_mut().map(|f| &mut f.0).chain([&mut entity.key]) {
                columns.iter_mut().for_each(|c| *c = map.column(&old, c).to_owned());
            }
            entity.table = map.table(&old).to_owned();
        }
        index
    }

    /// The entities of a table.
    pub fn of_table<'a>(&'a self, table: &'a str) -> impl Iterator<Item = (&'a str, &'a EntityNames)> {
        self.entities.iter().filter(move |(_, e)| name::same(&e.table, table)).map(|(n, e)| (n.as_str(), e))
    }
}

impl EntityNames {
    fn of(node: &Node) -> EntityNames {
        let text = |n: Option<&Node>| n.and_then(Node::as_text).map(name::read);
        let columns = |field: &Node| -> Vec<String> {
            match field.get("columns") {
                Some(list) => list.strings().iter().map(|c| name::read(c)).collect(),
                None => text(field.get("column")).into_iter().collect(),
            }
        };
        let fields = node.get("field").map(Node::entries).unwrap_or_default();
        EntityNames {
            table: node.get("table").and_then(Node::as_text).map(name::read_table).unwrap_or_default(),
            key: node.get("key").map(|k| k.strings().iter().map(|c| name::read(c)).collect()).unwrap_or_default(),
            fields: fields
                .iter()
                .map(|f| {
                    let target = f.node.get("lookup").and_then(|l| l.get("entity")).and_then(Node::as_text).map(str::to_owned);
                    (f.key.clone(), (columns(&f.node), target))
                })
                .collect(),
        }
    }
}

/// Every name in the definition. SQL is resolved against `schema`, which must carry the names the tree uses.
pub fn references(tree: &Tree, index: &Index, schema: &Schema) -> Vec<Reference> {
    let mut out = Vec::new();
    for (file, node) in &tree.files {
        out.extend(references_in(file, node, index, schema));
    }
    out
}

/// Every name in one file.
pub fn references_in(file: &FileKey, root: &Node, index: &Index, schema: &Schema) -> Vec<Reference> {
    let mut walk = Walk { file, index, schema, out: Vec::new(), path: Vec::new() };
    walk.node(root, shape_of(file));
    walk.out
}

struct Walk<'a> {
    file: &'a FileKey,
    index: &'a Index,
    schema: &'a Schema,
    out: Vec<Reference>,
    path: Vec<Seg>,
}

impl Walk<'_> {
    fn node(&mut self, node: &Node, shape: &'static Shape) {
        match shape {
            Shape::Record(_) | Shape::Named(_) => {
                for entry in node.entries() {
                    if let Some(child) = shape.child(&entry.key) {
                        self.path.push(Seg::Key(entry.key.clone()));
                        self.node(&entry.node, child);
                        self.path.pop();
                    }
                }
            }
            Shape::Records { keys, .. } => {
                for (at, item) in node.items().iter().enumerate() {
                    self.path.push(Seg::Index(at));
                    for key in *keys {
                        if let Some(child) = item.get(key.name) {
                            self.path.push(key.name.into());
                            self.node(child, &key.shape);
                            self.path.pop();
                        }
                    }
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
            Shape::Bool | Shape::Int | Shape::Text | Shape::Word(_) => {}
        }
    }

    fn push(&mut self, at: Range<usize>, to: Referent) {
        self.out.push(Reference { file: self.file.clone(), path: self.path.clone(), at, to });
    }

    fn entity(&self) -> &str {
        self.file.name()
    }

    /// The entity the lookup around this place points at.
    fn target(&self) -> Option<String> {
        match self.path.as_slice() {
            [Seg::Key(_), Seg::Key(field), ..] => self.index.target(self.entity(), field).map(str::to_owned),
            _ => None,
        }
    }

    fn name(&mut self, node: &Node, role: Role) {
        let Some(text) = node.as_text() else { return };
        let whole = 0..text.len();
        let entity = self.entity().to_owned();
        match role {
            Role::Table => self.push(whole, Referent::Table(name::read_table(text))),
            Role::Column => {
                if let Some(table) = self.index.table(&entity).map(str::to_owned) {
                    self.push(whole, Referent::Column { table, column: name::read(text) });
                }
            }
            Role::TargetColumn => {
                if let Some(table) = self.target().and_then(|t| self.index.table(&t).map(str::to_owned)) {
                    self.push(whole, Referent::Column { table, column: name::read(text) });
                }
            }
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
        let Some(table) = entity.and_then(|e| self.index.table(&e).map(str::to_owned)) else { return };
        let analysis = sql::analyse(text, &table, self.schema);
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
                sql::Target::Missing { .. } => {}
            }
        }
    }
}
