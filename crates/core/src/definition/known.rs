//! What others have to know of an entity to say what a name means: its table, its key, its fields.

use super::node::Node;
use crate::name;
use crate::rename::RenameMap;
use crate::sql;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::sync::Arc;

/// What the walk has to know of an entity to say what a name in another place means.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct KnownEntity {
    /// Its table, as names compare.
    pub table: String,
    /// Its key columns.
    pub key: Vec<String>,
    /// A query that stands in for the table.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub select: Option<String>,
    /// Its fields.
    pub fields: BTreeMap<String, KnownField>,
}

/// What the walk has to know of a field.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct KnownField {
    /// Its columns.
    pub columns: Vec<String>,
    /// The entity that a lookup or related set points at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// The join table of a related set, with its columns here and there.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub through: Option<(String, Vec<String>, Vec<String>)>,
}

impl KnownField {
    /// Whether a column is one of its columns.
    pub fn is_over(&self, column: &str) -> bool {
        name::contains(&self.columns, column)
    }
}

impl KnownEntity {
    /// Reads an entity's file.
    pub fn of(node: &Node) -> KnownEntity {
        let text = |n: Option<&Node>| n.and_then(Node::as_text).map(name::read);
        let columns = |field: &Node| -> Vec<String> {
            match field.get("columns") {
                Some(list) => list.strings().iter().map(|c| name::read(c)).collect(),
                None => text(field.get("column")).into_iter().collect(),
            }
        };
        let list = |node: &Node, key: &str| -> Vec<String> {
            node.get(key).map(Node::strings).unwrap_or_default().iter().map(|c| name::read(c)).collect()
        };
        let names = |field: &Node| {
            let pointing = ["lookup", "related"].iter().find_map(|k| field.get(k));
            let through = field
                .get("related")
                .and_then(|r| Some((r.get("through").and_then(Node::as_text).map(name::read_table)?, list(r, "here"), list(r, "there"))));
            let target = pointing.and_then(|l| l.get("entity")).and_then(Node::as_text).map(str::to_owned);
            KnownField { columns: columns(field), target, through }
        };
        let fields = node.get("field").map(Node::entries).unwrap_or_default();
        KnownEntity {
            table: node.get("table").and_then(Node::as_text).map(name::read_table).unwrap_or_default(),
            key: list(node, "key"),
            select: node.get("source").and_then(|s| s.get("select")).and_then(Node::as_text).map(str::to_owned),
            fields: fields.iter().map(|f| (f.key.clone(), names(&f.node))).collect(),
        }
    }

    /// Takes over other names of tables and columns; one that has none of them stays shared.
    pub(super) fn rename(of: &mut Arc<KnownEntity>, map: &RenameMap) {
        let through = of.fields.values().filter_map(|field| field.through.as_ref().map(|(table, ..)| table.as_str()));
        if std::iter::once(of.table.as_str()).chain(through).any(|table| map.concerns(table)) {
            Arc::make_mut(of).take_over(map);
        }
    }

    fn take_over(&mut self, map: &RenameMap) {
        let old = self.table.clone();
        for columns in self.fields.values_mut().map(|f| &mut f.columns).chain([&mut self.key]) {
            columns.iter_mut().for_each(|c| *c = map.column(&old, c).to_owned());
        }
        for (through, here, there) in self.fields.values_mut().filter_map(|f| f.through.as_mut()) {
            let old = through.clone();
            here.iter_mut().chain(there).for_each(|c| *c = map.column(&old, c).to_owned());
            map.table(&old).clone_into(through);
        }
        self.table = map.table(&old).to_owned();
    }

    /// What the entity's own SQL is over.
    pub fn scope(&self) -> sql::Scope<'_> {
        sql::Scope::Columns { table: &self.table, select: self.select.as_deref() }
    }
}
