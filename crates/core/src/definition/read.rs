//! Reads the typed model from the tree. What isn't of the right kind is passed over: `validate` reports it.

use super::model::{
    Access, App, CheckRule, Child, Choice, CustomWrite, DataSource, Entity, Export, Field, Import, Lookup, MenuGroup, Model, Outward, Page,
    Place, Related, Spanned,
};
use super::{FileKey, Node, Seg, Tree, display_path};
use crate::name;
use rayon::prelude::*;

impl Model {
    /// Reads the model.
    pub fn of(tree: &Tree) -> Model {
        let app = tree.app().map(|root| read_app(&Reader { file: FileKey::App, root })).unwrap_or_default();
        let files: Vec<(&str, &Node)> = tree.entities().collect();
        let read = |(name, root): (&str, &Node)| {
            Some((name.to_owned(), read_entity(&Reader { file: FileKey::Entity(name.to_owned()), root }, name)?))
        };
        Model { app, entities: files.into_par_iter().filter_map(read).collect::<Vec<_>>().into_iter().collect() }
    }
}

struct Reader<'a> {
    file: FileKey,
    root: &'a Node,
}

impl<'a> Reader<'a> {
    fn node(&self, path: &[Seg]) -> Option<&'a Node> {
        self.root.at_path(path)
    }

    fn place(&self, path: &[Seg]) -> Place {
        let at = match path.split_last() {
            // A named element stands where its key does.
            Some((Seg::Key(key), parent)) => self.node(parent).and_then(|p| p.entries().iter().find(|e| e.key == *key)).map(|e| e.at),
            Some(_) => self.node(path).map(|n| n.at),
            None => None,
        };
        Place { file: self.file.clone(), at: at.unwrap_or_default(), path: display_path(&self.file, Some(self.root), path) }
    }

    /// The text of a node with the place of the value itself.
    fn spanned(&self, path: &[Seg], convert: fn(&str) -> String) -> Option<Spanned<String>> {
        let node = self.node(path)?;
        let place = Place { file: self.file.clone(), at: node.at, path: display_path(&self.file, Some(self.root), path) };
        Some(Spanned { value: convert(node.as_text()?), place, quote: node.quote })
    }

    fn list(&self, path: &[Seg], convert: fn(&str) -> String) -> Vec<Spanned<String>> {
        let count = self.node(path).map_or(0, |n| n.items().len());
        (0..count).filter_map(|at| self.spanned(&joined(path, &[Seg::Index(at)]), convert)).collect()
    }

    /// A value of the database as text, however it is written.
    fn scalar(&self, path: &[Seg]) -> Option<Spanned<String>> {
        let node = self.node(path)?;
        let place = Place { file: self.file.clone(), at: node.at, path: display_path(&self.file, Some(self.root), path) };
        Some(Spanned { value: node.as_scalar()?, place, quote: node.quote })
    }

    fn text(&self, path: &[Seg]) -> Option<String> {
        self.node(path).and_then(Node::as_text).map(str::to_owned)
    }

    /// The places of an array's members.
    fn members(&self, path: &[Seg]) -> Vec<Vec<Seg>> {
        (0..self.node(path).map_or(0, |n| n.items().len())).map(|at| joined(path, &[Seg::Index(at)])).collect()
    }

    /// The texts of a table by key.
    fn pairs(&self, path: &[Seg]) -> Vec<(String, Spanned<String>)> {
        let entries = self.node(path).map(Node::entries).unwrap_or_default();
        entries.iter().filter_map(|e| Some((e.key.clone(), self.spanned(&joined(path, &[Seg::Key(e.key.clone())]), as_is)?))).collect()
    }

    fn flag(&self, path: &[Seg]) -> bool {
        self.node(path).and_then(Node::as_bool).unwrap_or(false)
    }

    fn names_under(&self, key: &str) -> Vec<String> {
        self.root.get(key).map(|n| n.entries().iter().map(|e| e.key.clone()).collect()).unwrap_or_default()
    }
}

fn joined(path: &[Seg], more: &[Seg]) -> Vec<Seg> {
    [path, more].concat()
}

fn path(parts: &[&str]) -> Vec<Seg> {
    parts.iter().map(|p| Seg::from(*p)).collect()
}

fn as_is(text: &str) -> String {
    text.to_owned()
}

fn read_app(reader: &Reader<'_>) -> App {
    let database_role = |role: &String| Some((role.clone(), reader.spanned(&path(&["role", role, "database_role"]), as_is)?));
    let database_roles = reader.names_under("role").iter().filter_map(database_role).collect();
    let roles = reader.names_under("role").into_iter().map(|role| (role.clone(), reader.place(&path(&["role", &role])))).collect();
    let groups = reader.root.get("menu").map_or(0, |m| m.items().len());
    let menu = (0..groups).map(|at| {
        let group = [Seg::from("menu"), Seg::Index(at)];
        let label = reader.spanned(&joined(&group, &["label".into()]), as_is).map(|l| l.value).unwrap_or_default();
        MenuGroup { label, items: reader.list(&joined(&group, &["items".into()]), as_is) }
    });
    App { title: reader.text(&path(&["title"])).unwrap_or_default(), roles, database_roles, menu: menu.collect() }
}

fn read_entity(reader: &Reader<'_>, entity: &str) -> Option<Entity> {
    let label = ["one", "many"].map(|part| reader.node(&path(&["label", part])).and_then(Node::as_text).map(str::to_owned));
    Some(Entity {
        name: entity.to_owned(),
        place: Place { file: reader.file.clone(), at: super::At { line: 1, column: 1 }, path: entity.to_owned() },
        table: reader.spanned(&path(&["table"]), name::read_table)?,
        key: reader.list(&path(&["key"]), name::read),
        title: reader.spanned(&path(&["title"]), as_is),
        label: match label {
            [Some(one), Some(many)] => Some((one, many)),
            _ => None,
        },
        version: reader.spanned(&path(&["version"]), name::read),
        read_only: reader.flag(&path(&["read_only"])),
        left_out: reader.list(&path(&["left_out"]), name::read),
        fields: reader.names_under("field").iter().map(|f| read_field(reader, f)).collect(),
        checks: reader
            .names_under("check")
            .into_iter()
            .map(|check| CheckRule {
                place: reader.place(&path(&["check", &check])),
                rule: reader.spanned(&path(&["check", &check, "rule"]), as_is),
                name: check,
            })
            .collect(),
        source: read_source(reader),
        imports: reader.names_under("import").iter().map(|i| read_import(reader, i)).collect(),
        exports: reader
            .names_under("export")
            .into_iter()
            .map(|export| Export {
                place: reader.place(&path(&["export", &export])),
                fields: reader.list(&path(&["export", &export, "fields"]), as_is),
                name: export,
            })
            .collect(),
        outward: reader.node(&path(&["outward"])).map(|_| Outward {
            name: reader.text(&path(&["outward", "name"])),
            fields: reader.pairs(&path(&["outward", "fields"])),
            hide: reader.list(&path(&["outward", "hide"]), as_is),
        }),
        pages: reader.names_under("page").iter().filter_map(|p| read_page(reader, p)).collect(),
        access: reader.names_under("access").iter().map(|r| read_access(reader, r)).collect(),
    })
}

fn read_field(reader: &Reader<'_>, field: &str) -> Field {
    let at = |key: &str| path(&["field", field, key]);
    let columns = match reader.node(&at("columns")) {
        Some(_) => reader.list(&at("columns"), name::read),
        None => reader.spanned(&at("column"), name::read).into_iter().collect(),
    };
    let inner = |key: &str| path(&["field", field, "lookup", key]);
    let lookup = reader.spanned(&inner("entity"), as_is).map(|entity| Lookup {
        entity,
        value: reader.list(&inner("value"), name::read),
        show: reader.spanned(&inner("show"), as_is),
        order: reader.list(&inner("order"), as_is),
        condition: reader.spanned(&inner("where"), as_is),
    });
    Field {
        name: field.to_owned(),
        place: reader.place(&path(&["field", field])),
        columns,
        kind: reader.spanned(&at("kind"), as_is).map_or_else(|| "text".to_owned(), |k| k.value),
        label: reader.spanned(&at("label"), as_is),
        help: reader.spanned(&at("help"), as_is),
        required: reader.flag(&at("required")),
        max_length: reader.node(&at("max_length")).and_then(Node::as_int),
        hidden: reader.flag(&at("hidden")),
        read_only: reader.flag(&at("read_only")),
        sensitive: reader.flag(&at("sensitive")),
        unique: reader.flag(&at("unique")),
        formula: reader.spanned(&at("formula"), as_is),
        lookup,
        related: read_related(reader, field),
        choices: reader.members(&at("choices")).iter().filter_map(|choice| read_choice(reader, choice)).collect(),
        min: reader.scalar(&at("min")),
        max: reader.scalar(&at("max")),
        unit: reader.spanned(&at("unit"), as_is),
        show_as: reader.text(&at("show_as")),
        total: reader.text(&at("total")),
    }
}

fn read_page(reader: &Reader<'_>, page: &str) -> Option<Page> {
    let at = |key: &str| path(&["page", page, key]);
    let kind = reader.spanned(&at("kind"), as_is).map_or_else(|| page.to_owned(), |k| k.value);
    let mut shown = reader.list(&at("fields"), as_is);
    let mut sections = Vec::new();
    for section in reader.members(&at("sections")) {
        let fields = reader.list(&joined(&section, &["fields".into()]), as_is);
        sections.push((reader.text(&joined(&section, &["title".into()])).unwrap_or_default(), fields.len()));
        shown.extend(fields);
    }
    let child = |row: &Vec<Seg>| {
        let inner = |key: &str| joined(row, &[key.into()]);
        Some(Child {
            place: reader.place(row),
            entity: reader.spanned(&inner("entity"), as_is)?,
            by: reader.spanned(&inner("by"), as_is)?,
            fields: reader.list(&inner("fields"), as_is),
            sort: reader.list(&inner("sort"), as_is),
        })
    };
    Some(Page {
        name: page.to_owned(),
        place: reader.place(&path(&["page", page])),
        kind: crate::pages::named(&kind)?,
        shown,
        search: reader.list(&at("search"), as_is),
        filter: reader.list(&at("filter"), as_is),
        sort: reader.list(&at("sort"), as_is),
        condition: reader.spanned(&at("where"), as_is),
        label: reader.text(&at("label")),
        sections,
        group: reader.list(&at("group"), as_is),
        page_size: reader.node(&at("page_size")).and_then(Node::as_int).unwrap_or(25),
        actions: reader.node(&at("actions")).map(Node::strings),
        children: reader.members(&at("children")).iter().filter_map(child).collect(),
    })
}

fn read_related(reader: &Reader<'_>, field: &str) -> Option<Related> {
    let at = |key: &str| path(&["field", field, "related", key]);
    Some(Related {
        entity: reader.spanned(&at("entity"), as_is)?,
        through: reader.spanned(&at("through"), name::read_table)?,
        here: reader.list(&at("here"), name::read),
        there: reader.list(&at("there"), name::read),
        show: reader.spanned(&at("show"), as_is),
    })
}

fn read_choice(reader: &Reader<'_>, choice: &[Seg]) -> Option<Choice> {
    Some(Choice { value: reader.scalar(&joined(choice, &["value".into()]))?, label: reader.text(&joined(choice, &["label".into()])) })
}

fn read_source(reader: &Reader<'_>) -> DataSource {
    let write = |operation: &str| {
        let at = |key: &str| path(&["source", operation, key]);
        reader.node(&path(&["source", operation])).map(|_| CustomWrite {
            place: reader.place(&path(&["source", operation])),
            routine: reader.spanned(&at("routine"), name::read_table),
            arguments: reader.pairs(&at("arguments")),
            sql: reader.spanned(&at("sql"), as_is),
        })
    };
    DataSource {
        select: reader.spanned(&path(&["source", "select"]), as_is),
        insert: write("insert"),
        update: write("update"),
        delete: write("delete"),
    }
}

fn read_import(reader: &Reader<'_>, import: &str) -> Import {
    let at = |key: &str| path(&["import", import, key]);
    Import {
        name: import.to_owned(),
        place: reader.place(&path(&["import", import])),
        key: reader.list(&at("key"), name::read),
        columns: reader.pairs(&at("columns")),
        create_missing: reader.list(&at("create_missing"), as_is),
    }
}

fn read_access(reader: &Reader<'_>, role: &str) -> Access {
    let at = |key: &str| path(&["access", role, key]);
    Access {
        role: role.to_owned(),
        place: reader.place(&path(&["access", role])),
        read: reader.flag(&at("read")),
        add: reader.flag(&at("add")),
        edit: reader.flag(&at("edit")),
        delete: reader.flag(&at("delete")),
        rows: reader.spanned(&at("rows"), as_is),
        hide: reader.list(&at("hide"), as_is),
        read_only: reader.list(&at("read_only"), as_is),
        restricted: reader.node(&at("hide")).or(reader.node(&at("read_only"))).is_some(),
        pages: reader.node(&at("pages")).map(Node::strings),
    }
}
