//! The definition as typed values with their places: what statements and rules read.
//!
//! Names that don't exist are kept as written; [`super::validate`] reports them.

use super::{At, FileKey, PageKind, TextPattern};
use crate::schema::Operation;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A place in the definition.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Place {
    /// The file.
    pub file: Arc<FileKey>,
    /// Line and column.
    pub at: At,
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
        let node = super::Node { at: self.place.at, quote: self.quote, ..super::Node::text(self.value.as_str()) };
        Place { at: node.inner(offset), ..self.place.clone() }
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
    /// What the application is called.
    pub title: String,
    /// Roles by name; without any, everything is allowed.
    pub roles: BTreeMap<String, Place>,
    /// The database's roles, by role.
    pub database_roles: BTreeMap<String, Spanned<String>>,
    /// What people call the roles.
    pub role_labels: BTreeMap<String, String>,
    /// What is known of the person who is signed in, and other values that SQL may name.
    pub parameters: Vec<Parameter>,
    /// Menu groups.
    pub menu: Vec<MenuGroup>,
}

/// A value that SQL may name as `:name`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Parameter {
    /// Its name.
    pub name: String,
    /// Its kind, as a field's.
    pub kind: String,
    /// What people read.
    pub label: Option<String>,
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
    /// The column that tells whether a record was changed meanwhile.
    pub version: Option<Spanned<String>>,
    /// Nothing can be saved or deleted.
    pub read_only: bool,
    /// Columns deliberately not used.
    pub left_out: Vec<Spanned<String>>,
    /// In their order.
    pub fields: Vec<Field>,
    /// Validations over several fields, in their order.
    pub checks: Vec<CheckRule>,
    /// In their order.
    pub pages: Vec<Page>,
    /// Where the data comes from and goes to, if not straight from and to the table.
    pub source: DataSource,
    /// Files records are taken from.
    pub imports: Vec<Import>,
    /// Files records are written to.
    pub exports: Vec<Export>,
    /// What remote clients see.
    pub outward: Option<Outward>,
    /// By role, in their order.
    pub access: Vec<Access>,
}

impl Entity {
    /// The field of this name.
    pub fn field(&self, name: &str) -> Option<&Field> {
        self.fields.iter().find(|f| f.name == name)
    }

    /// The names of the pages that save records: none where nothing can be saved.
    pub fn saving_pages(&self) -> Vec<String> {
        self.pages.iter().filter(|p| p.kind.saves() && !self.read_only).map(|p| p.name.clone()).collect()
    }

    /// The columns of this entity that a reference holds, in the order of its own: those it names as its `value`, else the key.
    pub fn referenced<'a>(&'a self, value: &'a [Spanned<String>]) -> &'a [Spanned<String>] {
        if value.is_empty() { &self.key } else { value }
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
    /// A sentence below it on forms.
    pub help: Option<Spanned<String>>,
    /// A form has to give a value.
    pub required: bool,
    /// Most characters.
    pub max_length: Option<i64>,
    /// What a new record has, where nothing else is said.
    pub default: Option<String>,
    /// In no statement and on no page.
    pub hidden: bool,
    /// Not changed by edit pages.
    pub read_only: bool,
    /// Its value may be nobody's business.
    pub sensitive: bool,
    /// No two records have the same.
    pub unique: bool,
    /// SQL that gives its value.
    pub formula: Option<Spanned<String>>,
    /// What it points at.
    pub lookup: Option<Lookup>,
    /// What is linked to it by a join table.
    pub related: Option<Related>,
    /// The values it may have.
    pub choices: Vec<Choice>,
    /// The least value, as written.
    pub min: Option<Spanned<String>>,
    /// The greatest value, as written.
    pub max: Option<Spanned<String>>,
    /// What its text must match.
    pub pattern: Option<TextPattern>,
    /// Types of files that it takes, as in `image/png`, `image/*` or `.pdf`; any where there are none.
    pub accept: Vec<String>,
    /// How many decimals are shown.
    pub decimals: Option<i64>,
    /// The unit people read after it.
    pub unit: Option<Spanned<String>>,
    /// How its value is drawn.
    pub show_as: Option<String>,
    /// How a grouped page sums it up.
    pub total: Option<String>,
}

impl Field {
    /// Whether it is a column that forms can write: no formula, no related set.
    pub fn is_stored(&self) -> bool {
        self.formula.is_none() && self.related.is_none()
    }
}

/// Records of another entity that a join table links.
#[derive(Debug, Clone)]
pub struct Related {
    /// The other entity.
    pub entity: Spanned<String>,
    /// The join table.
    pub through: Spanned<String>,
    /// Its columns that point at this entity.
    pub here: Vec<Spanned<String>>,
    /// Its columns that point at the other.
    pub there: Vec<Spanned<String>>,
    /// This entity's columns that `here` holds, in their order; empty for its key.
    pub here_value: Vec<Spanned<String>>,
    /// The other's columns that `there` holds, in their order; empty for its key.
    pub there_value: Vec<Spanned<String>>,
    /// What is shown; the other's title without it.
    pub show: Option<Spanned<String>>,
}

/// A value a field may have.
#[derive(Debug, Clone)]
pub struct Choice {
    /// As written, without quotes.
    pub value: Spanned<String>,
    /// What people read.
    pub label: Option<String>,
}

/// A validation over several fields.
#[derive(Debug, Clone)]
pub struct CheckRule {
    /// Its name.
    pub name: String,
    /// Where it is defined.
    pub place: Place,
    /// What must hold.
    pub rule: Option<Spanned<String>>,
    /// What people read where it doesn't.
    pub message: Option<String>,
}

/// Where an entity's data comes from and goes to.
#[derive(Debug, Clone, Default)]
pub struct DataSource {
    /// A query that stands in for the table.
    pub select: Option<Spanned<String>>,
    /// How a record is added.
    pub insert: Option<CustomWrite>,
    /// How a record is changed.
    pub update: Option<CustomWrite>,
    /// How a record is deleted.
    pub delete: Option<CustomWrite>,
}

impl DataSource {
    /// A person's own statement for an operation, where there is one.
    pub fn own_write(&self, operation: Operation) -> Option<&CustomWrite> {
        match operation {
            Operation::Insert => self.insert.as_ref(),
            Operation::Update => self.update.as_ref(),
            Operation::Delete => self.delete.as_ref(),
        }
    }
}

/// A write of a person's own.
#[derive(Debug, Clone)]
pub struct CustomWrite {
    /// Where it is defined.
    pub place: Place,
    /// A routine, by its database name…
    pub routine: Option<Spanned<String>>,
    /// …with its arguments: name and field.
    pub arguments: Vec<(String, Spanned<String>)>,
    /// SQL.
    pub sql: Option<Spanned<String>>,
}

/// A file that records are taken from.
#[derive(Debug, Clone)]
pub struct Import {
    /// Its name.
    pub name: String,
    /// Where it is defined.
    pub place: Place,
    /// The columns existing records are found by.
    pub key: Vec<Spanned<String>>,
    /// Heading and field.
    pub columns: Vec<(String, Spanned<String>)>,
    /// Lookups whose unknown values become new records.
    pub create_missing: Vec<Spanned<String>>,
}

/// A file that records are written to.
#[derive(Debug, Clone)]
pub struct Export {
    /// Its name.
    pub name: String,
    /// Where it is defined.
    pub place: Place,
    /// The fields written.
    pub fields: Vec<Spanned<String>>,
}

/// What remote clients see of an entity.
#[derive(Debug, Clone, Default)]
pub struct Outward {
    /// What they call it.
    pub name: Option<String>,
    /// Field and what they call it, with its place.
    pub fields: Vec<(String, Spanned<String>)>,
    /// Fields they never see.
    pub hide: Vec<Spanned<String>>,
}

/// A list of the records that belong to one.
#[derive(Debug, Clone)]
pub struct Child {
    /// Where it is defined.
    pub place: Place,
    /// The entity.
    pub entity: Spanned<String>,
    /// Its lookup that points here.
    pub by: Spanned<String>,
    /// Its fields shown.
    pub fields: Vec<Spanned<String>>,
    /// Its fields sorted by, as written.
    pub sort: Vec<Spanned<String>>,
}

impl Child {
    /// Whether it lists these records by this lookup of theirs.
    pub fn is_of(&self, entity: &str, by: &str) -> bool {
        self.entity.value == entity && self.by.value == by
    }
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
    /// What people call it.
    pub label: Option<String>,
    /// Titles of its sections with the number of fields in each; empty where it has plain fields.
    pub sections: Vec<(String, usize)>,
    /// Fields grouped by.
    pub group: Vec<Spanned<String>>,
    /// Records on a page.
    pub page_size: i64,
    /// What it offers, where that is written.
    pub actions: Option<Vec<String>>,
    /// Lists of records that belong to the one shown.
    pub children: Vec<Child>,
}

impl Page {
    /// What it does with a field besides showing it: search, filter, sort, group.
    pub fn uses_of(&self, field: &str) -> Vec<&'static str> {
        let lists = [("search", &self.search), ("filter", &self.filter), ("sort", &self.sort), ("group", &self.group)];
        let names = |list: &[Spanned<String>]| list.iter().any(|f| f.value.strip_prefix('-').unwrap_or(&f.value) == field);
        lists.into_iter().filter(|(_, list)| names(list)).map(|(word, _)| word).collect()
    }

    /// Whether it offers an action: a list without `actions` offers all but imports.
    pub fn offers(&self, action: &str) -> bool {
        match &self.actions {
            Some(actions) => actions.iter().any(|a| a == action),
            None => self.kind == PageKind::List && action != "import",
        }
    }
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
        listed && self.opens(page.kind)
    }

    /// Whether the role is granted what pages of a kind need.
    fn opens(&self, kind: PageKind) -> bool {
        match kind {
            PageKind::List | PageKind::Detail | PageKind::Grouped => self.read,
            PageKind::Add => self.add,
            PageKind::Edit | PageKind::Bulk => self.edit && self.read,
        }
    }

    /// Whether the role never sees a field.
    pub fn hides(&self, field: &str) -> bool {
        self.hide.iter().any(|f| f.value == field)
    }
}
