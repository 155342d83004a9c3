//! What each key of the definition means: the one table that validation, renaming, setting aside and merging
//! walk by. A new key of the format is a row here.

/// What a name in the definition refers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// A table or view.
    Table,
    /// A column of the entity's table.
    Column,
    /// A column of the table the lookup points at.
    TargetColumn,
    /// A field of the entity.
    Field,
    /// A field of the entity, `-` before it for descending.
    SortField,
    /// A field of the entity the lookup points at, `-` before it for descending.
    TargetSortField,
    /// An entity.
    Entity,
    /// A menu item: an entity, or `entity/page`.
    MenuItem,
    /// A page of the entity.
    Page,
}

/// What happens to an element when something it names is gone. A name in a [`Shape::Set`] always goes as a member.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OnGone {
    /// The element is set aside.
    Remove,
    /// The whole table around it is set aside (a field whose column went).
    RemoveParent,
    /// The whole file is set aside.
    RemoveFile,
    /// The draft's value takes its place; where the draft has none, the element goes.
    Draft,
    /// As [`OnGone::Draft`], together with the keys of the table around it that belong together (a lookup and its field's kind).
    DraftLookup,
    /// A condition nothing fulfils takes its place: access never widens.
    Deny,
}

/// What a value may be, and how it merges.
#[derive(Debug, Clone, Copy)]
#[allow(missing_docs, reason = "each variant's text names its parts")]
pub enum Shape {
    /// true or false
    Bool,
    /// A whole number.
    Int,
    /// Text for people.
    Text,
    /// One of these words.
    Word(&'static [&'static str]),
    /// A template over fields; `true` for those of the lookup's target.
    Template { of_target: bool },
    /// A SQL condition; `true` for one over the lookup's target.
    Condition { of_target: bool },
    /// One name.
    Name(Role),
    /// Names that are one value together.
    Names(Role),
    /// Names merged one by one.
    Set(Role),
    /// A table with these keys.
    Record(&'static [Key]),
    /// A table of elements named by people.
    Named(&'static Shape),
    /// An array of tables, recognised by the text of this key.
    Records { by: &'static str, keys: &'static [Key] },
}

/// One key of a record.
#[derive(Debug, Clone, Copy)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// Its value.
    pub shape: Shape,
    /// What a loss does to it.
    pub on_gone: OnGone,
}

const fn key(name: &'static str, shape: Shape) -> Key {
    Key { name, shape, on_gone: OnGone::Remove }
}

const fn key_gone(name: &'static str, shape: Shape, on_gone: OnGone) -> Key {
    Key { name, shape, on_gone }
}

/// Every kind a field may have.
pub const FIELD_KINDS: &[&str] = &[
    "text",
    "multiline",
    "number",
    "decimal",
    "money",
    "percent",
    "date",
    "time",
    "date-time",
    "duration",
    "boolean",
    "lookup",
    "image",
    "file",
    "email",
    "phone",
    "url",
    "password",
    "colour",
    "code",
    "json",
];

const PAGE_KINDS: &[&str] = &["list", "detail", "add", "edit"];

/// `app/app.toml`
pub static APP: Shape = Shape::Record(&[
    key("title", Shape::Text),
    key("role", Shape::Named(&Shape::Record(&[key("label", Shape::Text), key("database_role", Shape::Text)]))),
    key("parameter", Shape::Named(&Shape::Record(&[key("kind", Shape::Word(FIELD_KINDS)), key("label", Shape::Text)]))),
    key("menu", Shape::Records { by: "label", keys: &[key("label", Shape::Text), key("items", Shape::Set(Role::MenuItem))] }),
]);

const LABEL: Shape = Shape::Record(&[key("one", Shape::Text), key("many", Shape::Text)]);

const LOOKUP: Shape = Shape::Record(&[
    key_gone("entity", Shape::Name(Role::Entity), OnGone::DraftLookup),
    key_gone("value", Shape::Names(Role::TargetColumn), OnGone::DraftLookup),
    key_gone("show", Shape::Template { of_target: true }, OnGone::Draft),
    key("order", Shape::Set(Role::TargetSortField)),
    key("where", Shape::Condition { of_target: true }),
    key("create", Shape::Bool),
]);

static FIELD: Shape = Shape::Record(&[
    key_gone("column", Shape::Name(Role::Column), OnGone::RemoveParent),
    key_gone("columns", Shape::Names(Role::Column), OnGone::RemoveParent),
    key("kind", Shape::Word(FIELD_KINDS)),
    key("label", Shape::Text),
    key("required", Shape::Bool),
    key("max_length", Shape::Int),
    key("hidden", Shape::Bool),
    key("read_only", Shape::Bool),
    key("lookup", LOOKUP),
]);

static PAGE: Shape = Shape::Record(&[
    key("kind", Shape::Word(PAGE_KINDS)),
    key("fields", Shape::Set(Role::Field)),
    key("sections", Shape::Records { by: "title", keys: &[key("title", Shape::Text), key("fields", Shape::Set(Role::Field))] }),
    key("search", Shape::Set(Role::Field)),
    key("filter", Shape::Set(Role::Field)),
    key("sort", Shape::Set(Role::SortField)),
    key("where", Shape::Condition { of_target: false }),
]);

static ACCESS: Shape = Shape::Record(&[
    key("read", Shape::Bool),
    key("add", Shape::Bool),
    key("edit", Shape::Bool),
    key("delete", Shape::Bool),
    key_gone("rows", Shape::Condition { of_target: false }, OnGone::Deny),
    key("hide", Shape::Set(Role::Field)),
    key("read_only", Shape::Set(Role::Field)),
    key("pages", Shape::Set(Role::Page)),
]);

/// `app/NAME.toml`
pub static ENTITY: Shape = Shape::Record(&[
    key_gone("table", Shape::Name(Role::Table), OnGone::RemoveFile),
    key_gone("key", Shape::Names(Role::Column), OnGone::Draft),
    key_gone("title", Shape::Template { of_target: false }, OnGone::Draft),
    key("label", LABEL),
    key("read_only", Shape::Bool),
    key("left_out", Shape::Set(Role::Column)),
    key("field", Shape::Named(&FIELD)),
    key("page", Shape::Named(&PAGE)),
    key("access", Shape::Named(&ACCESS)),
]);

impl Shape {
    /// The shape of a table's key.
    pub fn child(&self, name: &str) -> Option<&'static Shape> {
        match self {
            Shape::Record(keys) => self_keys(keys, name).map(|k| &k.shape),
            Shape::Named(inner) => Some(inner),
            _ => None,
        }
    }

    /// The keys of a record or of the members of an array of records.
    pub fn keys(&self) -> &'static [Key] {
        match self {
            Shape::Record(keys) | Shape::Records { keys, .. } => keys,
            _ => &[],
        }
    }

    /// What a string in it refers to.
    pub fn role(&self) -> Option<Role> {
        match self {
            Shape::Name(role) | Shape::Names(role) | Shape::Set(role) => Some(*role),
            _ => None,
        }
    }
}

fn self_keys(keys: &'static [Key], name: &str) -> Option<&'static Key> {
    keys.iter().find(|k| k.name == name)
}

/// The shape of a file.
pub fn shape_of(file: &super::FileKey) -> &'static Shape {
    match file {
        super::FileKey::App => &APP,
        super::FileKey::Entity(_) => &ENTITY,
    }
}

/// What of the definition goes when a name at a place is gone.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Loss {
    /// The member of the array.
    Member,
    /// What the key says.
    Key(OnGone),
}

/// The shape at a place of a file, and for a name there: how many steps lead to the element that goes when the
/// name is gone, and how it goes.
pub fn at_path(file: &super::FileKey, path: &[super::Seg]) -> Option<(Shape, usize, Loss)> {
    let mut shape = *shape_of(file);
    let mut loss = (0, Loss::Key(OnGone::RemoveFile));
    for (depth, seg) in path.iter().enumerate() {
        shape = match (shape, seg) {
            (Shape::Record(keys), super::Seg::Key(name)) => {
                let key = self_keys(keys, name)?;
                loss = (depth + 1, Loss::Key(key.on_gone));
                key.shape
            }
            (Shape::Named(inner), super::Seg::Key(_)) => {
                loss = (depth + 1, Loss::Key(OnGone::Remove));
                *inner
            }
            (Shape::Records { keys, .. }, super::Seg::Index(_)) => {
                loss = (depth + 1, Loss::Member);
                Shape::Record(keys)
            }
            (Shape::Set(role), super::Seg::Index(_)) => {
                loss = (depth + 1, Loss::Member);
                Shape::Name(role)
            }
            (Shape::Names(role), super::Seg::Index(_)) => Shape::Name(role),
            _ => return None,
        };
    }
    Some((shape, loss.0, loss.1))
}
