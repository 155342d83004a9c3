//! Reads the typed model from the tree. What isn't of the right kind is passed over: `validate` reports it.

use super::model::{
    Access, App, CheckRule, Child, Choice, CustomWrite, DataSource, Entity, Export, Field, Import, Lookup, MenuGroup, Model, Outward, Page,
    Parameter, Place, Related, Spanned,
};
use super::{At, Entry, FileKey, Node, TextPattern, Tree};
use crate::name;
use rayon::prelude::*;
use std::sync::Arc;

impl Model {
    /// Reads the model, the files at the same time; without lists of entities that aren't open.
    pub fn of(tree: &Tree) -> Model {
        let app = tree.app().map(|root| read_app(&Reader::of(FileKey::App, root))).unwrap_or_default();
        let files: Vec<(&str, &Node)> = tree.entities().collect();
        let read = |(name, root): (&str, &Node)| {
            let reader = Reader::of(FileKey::Entity(name.to_owned()), root);
            let mut entity = read_entity(&reader, name)?;
            // What an entity that isn't open lists of itself elsewhere is as it was.
            entity.pages.iter_mut().for_each(|page| page.children.retain(|child| !tree.asleep.contains(&child.entity.value)));
            Some((name.to_owned(), entity))
        };
        Model { app, entities: files.into_par_iter().filter_map(read).collect::<Vec<_>>().into_iter().collect() }
    }
}

/// A node of a file, and what is read under its keys.
struct Reader<'a> {
    file: Arc<FileKey>,
    node: &'a Node,
}

impl<'a> Reader<'a> {
    fn of(file: FileKey, node: &'a Node) -> Reader<'a> {
        Reader { file: Arc::new(file), node }
    }

    fn at(&self, node: &'a Node) -> Reader<'a> {
        Reader { file: Arc::clone(&self.file), node }
    }

    fn place(&self, at: At) -> Place {
        Place { file: Arc::clone(&self.file), at }
    }

    /// The node's own place.
    fn here(&self) -> Place {
        self.place(self.node.at)
    }

    fn under(&self, key: &str) -> Option<Reader<'a>> {
        self.node.get(key).map(|node| self.at(node))
    }

    /// The named elements under a key, each with its name and the place of that.
    fn named(&self, key: &str) -> impl Iterator<Item = (&'a str, Place, Reader<'a>)> {
        let entries: &'a [Entry] = self.node.get(key).map(Node::entries).unwrap_or_default();
        entries.iter().map(|entry| (entry.key.as_str(), self.place(entry.at), self.at(&entry.node)))
    }

    /// The members of an array.
    fn members(&self, key: &str) -> impl Iterator<Item = Reader<'a>> {
        let items: &'a [Node] = self.node.get(key).map(Node::items).unwrap_or_default();
        items.iter().map(|item| self.at(item))
    }

    /// A text with the place of the value itself.
    fn value(&self, node: &Node, convert: fn(&str) -> String) -> Option<Spanned<String>> {
        Some(Spanned { value: convert(node.as_text()?), place: self.place(node.at), quote: node.quote })
    }

    fn spanned(&self, key: &str, convert: fn(&str) -> String) -> Option<Spanned<String>> {
        self.value(self.node.get(key)?, convert)
    }

    fn list(&self, key: &str, convert: fn(&str) -> String) -> Vec<Spanned<String>> {
        let items = self.node.get(key).map(Node::items).unwrap_or_default();
        items.iter().filter_map(|item| self.value(item, convert)).collect()
    }

    /// A value of the database as text, however it is written.
    fn scalar(&self, key: &str) -> Option<Spanned<String>> {
        let node = self.node.get(key)?;
        Some(Spanned { value: node.as_scalar()?, place: self.place(node.at), quote: node.quote })
    }

    fn text(&self, key: &str) -> Option<String> {
        self.node.get(key).and_then(Node::as_text).map(str::to_owned)
    }

    /// The texts of a table by key.
    fn pairs(&self, key: &str) -> Vec<(String, Spanned<String>)> {
        let entries = self.node.get(key).map(Node::entries).unwrap_or_default();
        entries.iter().filter_map(|e| Some((e.key.clone(), self.value(&e.node, as_is)?))).collect()
    }

    fn flag(&self, key: &str) -> bool {
        self.node.get(key).and_then(Node::as_bool).unwrap_or(false)
    }

    fn number(&self, key: &str) -> Option<i64> {
        self.node.get(key).and_then(Node::as_int)
    }
}

fn as_is(text: &str) -> String {
    text.to_owned()
}

fn read_app(reader: &Reader<'_>) -> App {
    App {
        title: reader.text("title").unwrap_or_default(),
        roles: reader.named("role").map(|(role, place, _)| (role.to_owned(), place)).collect(),
        database_roles: reader
            .named("role")
            .filter_map(|(role, _, inner)| Some((role.to_owned(), inner.spanned("database_role", as_is)?)))
            .collect(),
        role_labels: reader.named("role").filter_map(|(role, _, inner)| Some((role.to_owned(), inner.text("label")?))).collect(),
        parameters: reader
            .named("parameter")
            .map(|(name, _, inner)| Parameter {
                name: name.to_owned(),
                kind: inner.text("kind").unwrap_or_else(|| "text".to_owned()),
                label: inner.text("label"),
            })
            .collect(),
        menu: reader
            .members("menu")
            .map(|group| MenuGroup { label: group.text("label").unwrap_or_default(), items: group.list("items", as_is) })
            .collect(),
    }
}

fn read_entity(reader: &Reader<'_>, entity: &str) -> Option<Entity> {
    let label = reader.under("label").map(|label| [label.text("one"), label.text("many")]);
    Some(Entity {
        name: entity.to_owned(),
        place: reader.place(At { line: 1, column: 1 }),
        table: reader.spanned("table", name::read_table)?,
        key: reader.list("key", name::read),
        title: reader.spanned("title", as_is),
        label: match label {
            Some([Some(one), Some(many)]) => Some((one, many)),
            _ => None,
        },
        version: reader.spanned("version", name::read),
        read_only: reader.flag("read_only"),
        left_out: reader.list("left_out", name::read),
        fields: reader.named("field").map(|(name, place, inner)| read_field(name, place, &inner)).collect(),
        checks: reader
            .named("check")
            .map(|(name, place, inner)| CheckRule {
                name: name.to_owned(),
                place,
                rule: inner.spanned("rule", as_is),
                message: inner.text("message"),
            })
            .collect(),
        source: reader.under("source").map(|inner| read_source(&inner)).unwrap_or_default(),
        imports: reader.named("import").map(|(name, place, inner)| read_import(name, place, &inner)).collect(),
        exports: reader
            .named("export")
            .map(|(name, place, inner)| Export { name: name.to_owned(), place, fields: inner.list("fields", as_is) })
            .collect(),
        outward: reader.under("outward").map(|inner| Outward {
            name: inner.text("name"),
            fields: inner.pairs("fields"),
            hide: inner.list("hide", as_is),
        }),
        pages: reader.named("page").filter_map(|(name, place, inner)| read_page(name, place, &inner)).collect(),
        access: reader.named("access").map(|(role, place, inner)| read_access(role, place, &inner)).collect(),
    })
}

fn read_field(name: &str, place: Place, reader: &Reader<'_>) -> Field {
    let columns = match reader.under("columns") {
        Some(_) => reader.list("columns", name::read),
        None => reader.spanned("column", name::read).into_iter().collect(),
    };
    Field {
        name: name.to_owned(),
        place,
        columns,
        kind: reader.text("kind").unwrap_or_else(|| "text".to_owned()),
        label: reader.spanned("label", as_is),
        help: reader.spanned("help", as_is),
        required: reader.flag("required"),
        max_length: reader.number("max_length"),
        default: reader.node.get("default").and_then(Node::as_scalar),
        hidden: reader.flag("hidden"),
        read_only: reader.flag("read_only"),
        sensitive: reader.flag("sensitive"),
        unique: reader.flag("unique"),
        formula: reader.spanned("formula", as_is),
        lookup: reader.under("lookup").and_then(|inner| read_lookup(&inner)),
        related: reader.under("related").and_then(|inner| read_related(&inner)),
        choices: reader.members("choices").filter_map(|inner| read_choice(&inner)).collect(),
        min: reader.scalar("min"),
        max: reader.scalar("max"),
        pattern: reader.text("pattern").map(TextPattern::new),
        accept: reader.node.get("accept").map(Node::strings).unwrap_or_default(),
        decimals: reader.number("decimals"),
        unit: reader.spanned("unit", as_is),
        show_as: reader.text("show_as"),
        total: reader.text("total"),
    }
}

fn read_lookup(reader: &Reader<'_>) -> Option<Lookup> {
    Some(Lookup {
        entity: reader.spanned("entity", as_is)?,
        value: reader.list("value", name::read),
        show: reader.spanned("show", as_is),
        order: reader.list("order", as_is),
        condition: reader.spanned("where", as_is),
    })
}

fn read_page(name: &str, place: Place, reader: &Reader<'_>) -> Option<Page> {
    let kind = reader.text("kind").unwrap_or_else(|| name.to_owned());
    let mut shown = reader.list("fields", as_is);
    let mut sections = Vec::new();
    for section in reader.members("sections") {
        let fields = section.list("fields", as_is);
        sections.push((section.text("title").unwrap_or_default(), fields.len()));
        shown.extend(fields);
    }
    let child = |inner: Reader<'_>| {
        Some(Child {
            place: inner.here(),
            entity: inner.spanned("entity", as_is)?,
            by: inner.spanned("by", as_is)?,
            fields: inner.list("fields", as_is),
            sort: inner.list("sort", as_is),
        })
    };
    Some(Page {
        name: name.to_owned(),
        place,
        kind: super::PageKind::named(&kind)?,
        shown,
        search: reader.list("search", as_is),
        filter: reader.list("filter", as_is),
        sort: reader.list("sort", as_is),
        condition: reader.spanned("where", as_is),
        label: reader.text("label"),
        sections,
        group: reader.list("group", as_is),
        page_size: reader.number("page_size").unwrap_or(25),
        actions: reader.node.get("actions").map(Node::strings),
        children: reader.members("children").filter_map(child).collect(),
    })
}

fn read_related(reader: &Reader<'_>) -> Option<Related> {
    Some(Related {
        entity: reader.spanned("entity", as_is)?,
        through: reader.spanned("through", name::read_table)?,
        here: reader.list("here", name::read),
        there: reader.list("there", name::read),
        here_value: reader.list("here_value", name::read),
        there_value: reader.list("there_value", name::read),
        show: reader.spanned("show", as_is),
    })
}

fn read_choice(reader: &Reader<'_>) -> Option<Choice> {
    Some(Choice { value: reader.scalar("value")?, label: reader.text("label") })
}

fn read_source(reader: &Reader<'_>) -> DataSource {
    let write = |operation: &str| {
        let entry = reader.node.entries().iter().find(|e| e.key == operation)?;
        let (place, inner) = (reader.place(entry.at), reader.at(&entry.node));
        Some(CustomWrite {
            place,
            routine: inner.spanned("routine", name::read_table),
            arguments: inner.pairs("arguments"),
            sql: inner.spanned("sql", as_is),
        })
    };
    DataSource { select: reader.spanned("select", as_is), insert: write("insert"), update: write("update"), delete: write("delete") }
}

fn read_import(name: &str, place: Place, reader: &Reader<'_>) -> Import {
    Import {
        name: name.to_owned(),
        place,
        key: reader.list("key", name::read),
        columns: reader.pairs("columns"),
        create_missing: reader.list("create_missing", as_is),
    }
}

fn read_access(role: &str, place: Place, reader: &Reader<'_>) -> Access {
    Access {
        role: role.to_owned(),
        place,
        read: reader.flag("read"),
        add: reader.flag("add"),
        edit: reader.flag("edit"),
        delete: reader.flag("delete"),
        rows: reader.spanned("rows", as_is),
        hide: reader.list("hide", as_is),
        read_only: reader.list("read_only", as_is),
        restricted: reader.under("hide").or_else(|| reader.under("read_only")).is_some(),
        pages: reader.node.get("pages").map(Node::strings),
    }
}
