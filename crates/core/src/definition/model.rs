//! The definition as typed values with their places: what statements and rules read.
//!
//! Names that don't exist are kept as written; [`super::validate`] reports them.

use super::{At, FileKey};
use std::collections::BTreeMap;

/// A place in the definition.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place {
    /// The file.
    pub file: FileKey,
    /// Line and column.
    pub at: At,
    /// The element, as people read it.
    pub path: String,
}

/// A value with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Spanned<T> {
    /// The value.
    pub value: T,
    /// Where it stands.
    pub place: Place,
    /// Characters of its opening quote, to find places inside it.
    pub quote: u32,
}

impl Spanned<String> {
    /// The place of a byte inside the text.
    pub fn inside(&self, offset: usize) -> Place {
        let node = super::Node { value: super::Value::Text(self.value.clone()), at: self.place.at, quote: self.quote };
        Place { at: node.inner(offset), ..self.place.clone() }
    }
}

/// What kind of page it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum PageKind {
    /// Many records.
    List,
    /// One record, to read.
    Detail,
    /// A form for a new record.
    Add,
    /// A form for a record that is there.
    Edit,
}

impl PageKind {
    /// The kind of this name.
    pub fn named(name: &str) -> Option<PageKind> {
        Some(match name {
            "list" => PageKind::List,
            "detail" => PageKind::Detail,
            "add" => PageKind::Add,
            "edit" => PageKind::Edit,
            _ => return None,
        })
    }

    /// Whether it saves records.
    pub fn saves(self) -> bool {
        matches!(self, PageKind::Add | PageKind::Edit)
    }
}

/// The whole application.
#[derive(Debug, Clone, Default)]
pub struct Model {
    /// `app/app.toml`
    pub app: App,
    /// By name.
    pub entities: BTreeMap<String, Entity>,
}

/// The application file.
#[derive(Debug, Clone, Default)]
pub struct App {
    /// Roles by name; without any, everything is allowed.
    pub roles: BTreeMap<String, Place>,
    /// Menu groups.
    pub menu: Vec<MenuGroup>,
}

/// A group of menu items.
#[derive(Debug, Clone)]
pub struct MenuGroup {
    /// Its label.
    pub label: String,
    /// Entities, or `entity/page`.
    pub items: Vec<Spanned<String>>,
}

/// One table or view as the application shows it.
#[derive(Debug, Clone)]
pub struct Entity {
    /// Its name.
    pub name: String,
    /// The file's place.
    pub place: Place,
    /// The table, by its database name.
    pub table: Spanned<String>,
    /// Key columns, by their database names.
    pub key: Vec<Spanned<String>>,
    /// How a record is called.
    pub title: Option<Spanned<String>>,
    /// What one record and many are called.
    pub label: Option<(String, String)>,
    /// Nothing can be saved or deleted.
    pub read_only: bool,
    /// Columns deliberately not used.
    pub left_out: Vec<Spanned<String>>,
    /// In their order.
    pub fields: Vec<Field>,
    /// In their order.
    pub pages: Vec<Page>,
    /// By role, in their order.
    pub access: Vec<Access>,
}

impl Entity {
    /// The field of this name.
    pub fn field(&self, name: &str) -> Option<&Field> {
        self.fields.iter().find(|f| f.name == name)
    }

    /// What this role may do here.
    pub fn access_of(&self, role: &str) -> Option<&Access> {
        self.access.iter().find(|a| a.role == role)
    }
}

/// One item of an entity.
#[derive(Debug, Clone)]
pub struct Field {
    /// Its name.
    pub name: String,
    /// Where it is defined.
    pub place: Place,
    /// Its column, or the columns of a composite reference, by their database names.
    pub columns: Vec<Spanned<String>>,
    /// Its kind.
    pub kind: String,
    /// Its label, where one is written.
    pub label: Option<Spanned<String>>,
    /// A form has to give a value.
    pub required: bool,
    /// Most characters.
    pub max_length: Option<i64>,
    /// In no statement and on no page.
    pub hidden: bool,
    /// Not changed by edit pages.
    pub read_only: bool,
    /// What it points at.
    pub lookup: Option<Lookup>,
}

/// How a field points at a record of another entity.
#[derive(Debug, Clone)]
pub struct Lookup {
    /// The other entity.
    pub entity: Spanned<String>,
    /// The target's columns, in the order of the field's; empty for the target's key.
    pub value: Vec<Spanned<String>>,
    /// What is shown; the target's title without it.
    pub show: Option<Spanned<String>>,
    /// Fields of the target that choices are sorted by.
    pub order: Vec<Spanned<String>>,
    /// Which records can be chosen.
    pub condition: Option<Spanned<String>>,
}

/// A page.
#[derive(Debug, Clone)]
pub struct Page {
    /// Its name.
    pub name: String,
    /// Where it is defined.
    pub place: Place,
    /// Its kind.
    pub kind: PageKind,
    /// Fields shown, through all sections.
    pub shown: Vec<Spanned<String>>,
    /// Fields searched.
    pub search: Vec<Spanned<String>>,
    /// Fields filtered by.
    pub filter: Vec<Spanned<String>>,
    /// Fields sorted by, as written (`-` for descending).
    pub sort: Vec<Spanned<String>>,
    /// Extra condition.
    pub condition: Option<Spanned<String>>,
}

/// What a role may see and do with an entity.
#[derive(Debug, Clone)]
pub struct Access {
    /// The role.
    pub role: String,
    /// Where it is defined.
    pub place: Place,
    /// See records.
    pub read: bool,
    /// Add records.
    pub add: bool,
    /// Change records.
    pub edit: bool,
    /// Delete records.
    pub delete: bool,
    /// Which records.
    pub rows: Option<Spanned<String>>,
    /// Fields never seen.
    pub hide: Vec<Spanned<String>>,
    /// Fields never changed.
    pub read_only: Vec<Spanned<String>>,
    /// Whether `hide` or `read_only` is written at all, even empty.
    pub restricted: bool,
    /// The only pages, where listed.
    pub pages: Option<Vec<String>>,
}

impl Access {
    /// Whether the role may use a page.
    pub fn allows(&self, page: &Page) -> bool {
        let listed = self.pages.as_ref().is_none_or(|pages| pages.contains(&page.name));
        listed
            && match page.kind {
                PageKind::List | PageKind::Detail => self.read,
                PageKind::Add => self.add,
                PageKind::Edit => self.edit && self.read,
            }
    }

    /// Whether the role never sees a field.
    pub fn hides(&self, field: &str) -> bool {
        self.hide.iter().any(|f| f.value == field)
    }
}
